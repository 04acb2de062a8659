"""The records that ship with the application."""

from __future__ import annotations

import io

import numpy as np
import soundfile

from tests.web.conftest import Api


def test_they_are_listed_and_given_out(api: Api) -> None:
    listed = api.get("/api/records")["records"]
    assert "Dockside break" in [one["name"] for one in listed]
    assert [one["seconds"] for one in listed] == sorted(one["seconds"] for one in listed)
    one = next(one for one in listed if one["name"] == "Tin roof rain")
    file = api.get("/api/records/Tin roof rain/file")
    sound, rate = soundfile.read(io.BytesIO(file), dtype="float32", always_2d=True)
    assert len(sound) / rate == one["seconds"]
    heard = np.frombuffer(api.get("/api/records/Tin roof rain/sound"), "<f4").reshape(2, -1)
    assert heard.shape[1] == one["frames"] == min(len(sound), 20 * rate)
    assert np.array_equal(heard[0], sound[: heard.shape[1], 0])


def test_nothing_else_is_given_out(api: Api) -> None:
    for name in ("Nowhere", "truth", "../settings", "..%2F..%2Fsettings"):
        assert api.ask("GET", f"/api/records/{name}/file").status_code == 404
