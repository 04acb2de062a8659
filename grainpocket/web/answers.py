"""Shapes of answers that several blueprints give."""

from flask import Response
from pydantic import BaseModel

FOREVER = "private, max-age=31536000, immutable"


def json_of(model: BaseModel, status: int = 200) -> Response:
    response = Response(model.model_dump_json(), status, mimetype="application/json")
    response.headers["Cache-Control"] = "no-store"
    return response


def pcm_of(wire: bytes) -> Response:
    """Planar PCM. Named by content or key, so it can be kept for ever."""
    response = Response(wire, mimetype="application/octet-stream")
    response.headers["Cache-Control"] = FOREVER
    return response
