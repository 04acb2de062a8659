"""Finds, and stretches of them, that a musician asks for."""

from __future__ import annotations

from flask import abort

from grainpocket.core.pocket import RATE, Source
from grainpocket.web.pockets import desk
from grainpocket.web.schemas import SourcePath, StretchPath


def checked(path: StretchPath, most_s: float | None = None, too_long: str = "") -> int:
    """Samples of the whole source that a stretch lies in. Answers 404 for an unknown source, 422 for a stretch that lies
    outside it or is longer than most_s, for which too_long says what to do."""
    frames = desk().audio.frames(path.audio)
    if not path.start < path.end <= frames:
        abort(422, "That stretch does not lie inside the find.")
    if most_s is not None and path.end - path.start > most_s * RATE:
        abort(422, too_long)
    return frames


def source_of(path: SourcePath) -> Source:
    """Answers 404 for a find that the pocket does not have."""
    found = desk().pockets.load(path.pocket).pocket.sources.get(path.source)
    if found is None:
        abort(404, "That find is not in the pocket.")
    return found
