"""The shelf: hits that a musician keeps across pockets, each with its audio in the store."""

from __future__ import annotations

import json
import time
import uuid
from dataclasses import dataclass

from sqlalchemy import delete, select

from grainpocket.core.document.upgrades import favourite_with_sound
from grainpocket.core.pocket import Favourite, Pad, Pocket, Taken
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.models import ShelfRow


@dataclass(frozen=True)
class Shelved:
    id: str
    favourite: Favourite


class ShelfStore:
    def __init__(self, database: Database, audio: AudioStore) -> None:
        self._database, self._audio = database, audio

    def listing(self) -> list[Shelved]:
        """Newest first."""
        with self._database.read() as session:
            rows = session.scalars(select(ShelfRow).order_by(ShelfRow.created.desc(), ShelfRow.id)).all()
            return [Shelved(row.id, _read(row)) for row in rows]

    def get(self, key: str) -> Favourite:
        """Raises KeyError."""
        with self._database.read() as session:
            row = session.get(ShelfRow, key)
            if row is None:
                raise KeyError(key)
            return _read(row)

    def keep(self, pocket: Pocket, pad: Pad) -> Shelved:
        """Put what a pad plays on the shelf: its chop's own samples, its settings, and which seconds of which record it is.
        What is there already, sound and settings, is not put there twice."""
        source, chop = pocket.sources[pad.chop.source], pad.chop
        samples = self._audio.read(source.audio, chop.start, chop.end)
        digest = self._audio.add(samples, pocket.rate)
        taken = source.origin.taken or Taken(record=source.name, start=0, end=source.frames)
        # From a hit that came off the shelf, the seconds of the record itself.
        taken = taken.model_copy(update={"start": taken.start + chop.start, "end": taken.start + chop.end})
        favourite = Favourite(
            name=pad.called, role=pad.role, audio=digest, frames=len(samples), channels=samples.shape[1], taken=taken,
            credits=source.credits, trim=source.trim, sound=pad.sound,
        )  # fmt: skip
        for known in self.listing():
            if known.favourite == favourite:
                return known
        key = uuid.uuid4().hex
        with self._database.write() as session:
            row = ShelfRow(id=key, name=favourite.name, favourite=favourite.model_dump_json(), created=time.time())
            session.add(row)
        return Shelved(key, favourite)

    def remove(self, key: str) -> None:
        """Its audio stays in the store: pockets may play it."""
        with self._database.write() as session:
            session.execute(delete(ShelfRow).where(ShelfRow.id == key))


def _read(row: ShelfRow) -> Favourite:
    return Favourite.model_validate(favourite_with_sound(json.loads(row.favourite)))
