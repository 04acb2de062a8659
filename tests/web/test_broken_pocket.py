"""A pocket that cannot be opened as it is: its own way back is offered, and all else goes on."""

from __future__ import annotations

from grainpocket.core.pocket import Pocket
from grainpocket.jobs.worker import Worker
from grainpocket.store.pockets import PocketStore
from tests.files import GOOD
from tests.store.test_opening import break_head
from tests.web.conftest import HOST, Api


def test_one_broken_pocket_stops_no_other(api: Api) -> None:
    broken = api.id
    api.edit({"type": "set_pocket", "tempo": 101.0})
    break_head(api.worker.pockets._database, broken)
    web = api.client.application.extensions["desk"]
    web.pockets = PocketStore(web.database)
    told = api.get(f"/api/pockets/{broken}", 422)
    assert (told["code"], told["sound"]["label"]) == ("unreadable", "new pocket")
    assert "Everything before it is kept" in told["message"]
    worker = Worker(api.worker.settings)
    worker.recover()
    waiting = api.client.post(f"/api/pockets/{broken}/imports?name=a.wav", data=GOOD["plain.wav"], headers=HOST)
    assert waiting.status_code == 422
    api.worker, api.id = worker, api.post("/api/pockets", {"name": "Other"}, 201)["id"]
    assert api.bring_in("loop.wav", GOOD["plain.wav"])["state"] == "done"
    api.post(f"/api/pockets/{broken}/undo", {"version": told["version"]})
    assert api.get(f"/api/pockets/{broken}")["pocket"]["tempo"] == Pocket(name="x").tempo
