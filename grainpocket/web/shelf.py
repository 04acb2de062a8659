"""The shelf: favourites of one's own, across pockets."""

from __future__ import annotations

from flask import Response, abort
from pydantic import BaseModel, Field

from grainpocket.core.pocket import Favourite
from grainpocket.store.shelf import Shelved
from grainpocket.web.answers import json_of
from grainpocket.web.pockets import desk
from grainpocket.web.routes import routes
from grainpocket.web.schemas import PocketPath, Problem

api = routes("shelf")


class ShelfEntry(BaseModel):
    id: str
    favourite: Favourite


class ShelfList(BaseModel):
    """Newest first."""

    shelf: list[ShelfEntry]


class ShelfBody(BaseModel):
    pads: list[int] = Field(min_length=1, max_length=64)


class ShelfPath(BaseModel):
    favourite: str


def _listing(entries: list[Shelved]) -> Response:
    return json_of(ShelfList(shelf=[ShelfEntry(id=one.id, favourite=one.favourite) for one in entries]))


@api.get("/shelf", responses={200: ShelfList})
def shelf() -> Response:
    return _listing(desk().shelf.listing())


@api.post("/pockets/<pocket>/shelf", responses={200: ShelfList, 404: Problem})
def keep(path: PocketPath, body: ShelfBody) -> Response:
    """Keep what pads play. What is on the shelf already stays there once."""
    pocket = desk().pockets.load(path.pocket).pocket
    pads = [pocket.pads[index] for index in body.pads if index in pocket.pads]
    if not pads:
        abort(404, "Those pads are empty.")
    return _listing([desk().shelf.keep(pocket, pad) for pad in pads])


@api.delete("/shelf/<favourite>", responses={200: ShelfList})
def remove(path: ShelfPath) -> Response:
    """Take a favourite off the shelf; pockets that play it keep it. The answer is what is left."""
    desk().shelf.remove(path.favourite)
    return _listing(desk().shelf.listing())
