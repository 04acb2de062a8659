"""A data folder of the first form: its pockets open, and render the very bytes that they rendered then."""

from __future__ import annotations

import hashlib
import json
import zipfile
from pathlib import Path

import pytest

from grainpocket.core.document.sound import Sound
from grainpocket.core.document.upgrades import FORM, TooNew, upgraded
from grainpocket.core.pocket import Pocket
from grainpocket.settings import Settings
from grainpocket.store.audio import AudioStore
from grainpocket.store.database import Database
from grainpocket.store.pockets import PocketStore
from grainpocket.store.shelf import ShelfStore
from grainpocket.web.app import create_app

FOLDER = Path(__file__).parent / "fixtures" / "first-format.zip"


@pytest.fixture
def older(tmp_path: Path) -> Settings:
    with zipfile.ZipFile(FOLDER) as packed:
        packed.extractall(tmp_path / "data")
    return Settings(data=tmp_path / "data")


def test_it_renders_the_same_bytes(older: Settings) -> None:
    client = create_app(older).test_client()
    wanted = json.loads((older.data / "rendered.json").read_text())
    assert len(wanted) == 6
    for name, digest in wanted.items():
        pattern, ending = name.split()
        answer = client.get(
            f"/api/pockets/old-pocket/export/{pattern}.wav?ending={ending}&passes=2", headers={"Host": "127.0.0.1:8000"}
        )
        assert answer.status_code == 200
        assert hashlib.sha256(answer.data).hexdigest() == digest, name


def test_every_state_of_its_history_opens(older: Settings) -> None:
    pockets = PocketStore(Database(older.database))
    state = pockets.load("old-pocket")
    steps = 0
    while state.undo is not None:
        state = pockets.undo("old-pocket", state.version).after
        steps += 1
    assert steps == 15
    assert state.pocket.name == "Old pocket"
    while state.redo is not None:
        state = pockets.redo("old-pocket", state.version).after
    assert state.pocket.pads[1].sound == Sound(pitch=-5.0, level=-3.0, fade_out=40.0)
    assert state.pocket.pads[3].layers[0].sound.level == -6.0


def test_hits_get_ids_of_their_own_and_favourites_open(older: Settings) -> None:
    database = Database(older.database)
    pocket = PocketStore(database).load("old-pocket").pocket
    ids = [hit.id for pattern in pocket.patterns.values() for hit in pattern.hits]
    assert len(set(ids)) == len(ids) > 20
    assert all(int(key[1:]) < pocket.next_id for key in ids)
    (kept,) = ShelfStore(database, AudioStore(older.audio)).listing()
    assert kept.favourite.sound.pitch == -5.0


def test_a_layer_keeps_what_it_took_from_its_pad() -> None:
    chop = {"source": "s1", "start": 0, "end": 9}
    pad = {"name": "A", "chop": chop, "reverse": True, "fade_out": 5.0, "pitch": 2.0, "layers": [{"chop": chop, "level": -3.0}]}
    made = Pocket.model_validate(upgraded({"name": "Old", "pads": {"0": pad}}))
    assert made.pads[0].layers[0].sound == Sound(reverse=True, fade_out=5.0, level=-3.0), "pitch comes from the pad still"


def test_what_a_later_version_wrote_is_told_from_what_is_broken() -> None:
    with pytest.raises(TooNew, match="later version"):
        upgraded({"name": "New", "form": FORM + 1})
