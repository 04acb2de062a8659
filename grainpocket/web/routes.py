"""What the modules of the API hang their answers on."""

from __future__ import annotations

import os

from flask_openapi3 import APIBlueprint, Tag

# Writing the API's document takes as long as all else at the start, and only `grainpocket openapi` asks for it.
DESCRIBED = "GRAINPOCKET_DESCRIBED"


def routes(name: str, tag: str | None = None) -> APIBlueprint:
    """A part of the API by its name. tag: under which the document lists it; left out: its name."""
    described = bool(os.environ.get(DESCRIBED))
    return APIBlueprint(name, __name__, url_prefix="/api", abp_tags=[Tag(name=tag or name)], doc_ui=described)
