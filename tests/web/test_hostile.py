"""Requests that no honest client sends: each is refused in words, and none is a mistake of ours."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from grainpocket.web.security import MOST_JSON
from tests.core.test_any_edit import KINDS, Ids, an_edit, desk
from tests.files import GOOD
from tests.web.conftest import HOST, Api

BODIES: list[Any] = [{}, {"version": 2**70}, {"version": 2**70, "edit": {"type": "set_pocket", "tempo": 100}}, [{}], 2**70, None]
PLAIN = {"Host": HOST["Host"]}
DOCUMENT = json.loads(Path("docs/openapi.json").read_text())
HUGE = 2**70
STRANGE: list[Any] = [HUGE, -HUGE, 2**63, 0, -1, "", "\u0000", "\u202egpj", "x" * 5000, None, True, [], {}, [[]], 1e308, "\ud800"]


def deep(levels: int) -> str:
    return "[" * levels + "]" * levels


def filled(path: str, value: str) -> str:
    while "{" in path:
        path = path[: path.index("{")] + value + path[path.index("}") + 1 :]
    return path


@pytest.mark.parametrize("path", sorted(DOCUMENT["paths"]))
def test_no_endpoint_falls_over(api: Api, path: str) -> None:
    api.client.application.config["PROPAGATE_EXCEPTIONS"] = False
    for method in DOCUMENT["paths"][path]:
        for value in (api.id, "s1", "0", "-1", str(HUGE), "..", "%00", "%ff", "none"):
            for body in BODIES:
                answer = api.client.open(filled(path, value), method=method.upper(), json=body, headers=HOST)
                assert answer.status_code < 500, (method, path, value, body, answer.text)


@settings(max_examples=150, derandomize=True, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow])
@given(data=st.data())
def test_no_edit_falls_over(api: Api, data: st.DataObject) -> None:
    api.client.application.config["PROPAGATE_EXCEPTIONS"] = False
    made = api.client.application.extensions["desk"].pockets.create(desk().pocket)
    kind = data.draw(st.sampled_from(KINDS))
    edit = data.draw(an_edit(kind, Ids(made.pocket)))
    for field in data.draw(st.lists(st.sampled_from(sorted(set(edit) - {"type"}) or ["name"]), max_size=2)):
        edit = {**edit, field: data.draw(st.sampled_from(STRANGE))}
    answer = api.ask("POST", f"/api/pockets/{made.id}/edits", {"version": 1, "edit": edit})
    assert answer.status_code in (200, 404, 409, 422), (edit, answer.text)
    assert api.get(f"/api/pockets/{made.id}")["id"] == made.id


@pytest.mark.parametrize("levels", [2000, 100_000])
def test_json_nested_beyond_all_use(api: Api, levels: int) -> None:
    api.client.application.config["PROPAGATE_EXCEPTIONS"] = False
    headers = {**HOST, "Content-Type": "application/json"}
    answer = api.client.post(f"/api/pockets/{api.id}/edits", data=deep(levels), headers=headers)
    assert answer.status_code in (400, 422)


def test_half_a_character_and_turned_names(api: Api) -> None:
    api.client.application.config["PROPAGATE_EXCEPTIONS"] = False
    headers = {**HOST, "Content-Type": "application/json"}
    body = '{"version": 1, "edit": {"type": "set_pocket", "name": "a\\ud800b"}}'
    assert api.client.post(f"/api/pockets/{api.id}/edits", data=body, headers=headers).status_code in (200, 400, 422)
    version = api.state["version"]
    api.edit({"type": "set_pocket", "name": "Fer\u202ery\u0000 set"}, version=version)
    assert api.state["pocket"]["name"] == "Ferry set"
    assert api.post("/api/pockets", {"name": "\u2066Turned\u2069"}, 201)["pocket"]["name"] == "Turned"


def test_a_source_with_other_channels_than_its_audio(api: Api) -> None:
    api.bring_in("loop.wav", GOOD["plain.wav"])
    (source,) = api.state["pocket"]["sources"].values()
    wrong = {"type": "add_source", "name": "x"} | {key: source[key] for key in ("audio", "frames")}
    wrong["channels"] = 3 - source["channels"]
    assert "channels" in api.edit(wrong, 422)["message"]


def test_more_json_or_hits_than_anyone_draws(api: Api) -> None:
    headers = {**HOST, "Content-Type": "application/json"}
    answer = api.client.post(f"/api/pockets/{api.id}/edits", data=b" " * (MOST_JSON + 1), headers=headers)
    assert answer.status_code == 413
    assert "8 MB" in answer.json["message"]
    api.edit({"type": "add_pattern", "name": "p"})
    pattern = next(iter(api.state["pocket"]["patterns"]))
    hits = [{"pad": 0, "beat": k / 4096} for k in range(20_001)]
    api.edit({"type": "put_hits", "pattern": pattern, "hits": hits}, 422)


@pytest.mark.parametrize(
    ("headers", "refused"),
    [
        ({}, True),
        ({"Content-Type": "text/plain"}, True),
        ({"Content-Type": "multipart/form-data; boundary=x"}, True),
        ({"Content-Type": "application/octet-stream"}, False),
        ({"Content-Type": "text/plain", "Origin": "http://127.0.0.1:8000"}, False),
        ({"Content-Type": "text/plain", "Sec-Fetch-Site": "same-origin"}, False),
        ({"Content-Type": "text/plain", "Sec-Fetch-Site": "cross-site"}, True),
        ({"Content-Type": "application/octet-stream", "Origin": "127.0.0.1:8000"}, True),
        ({"Content-Type": "application/octet-stream", "Origin": "null"}, True),
        ({"Content-Type": "application/octet-stream", "Origin": "http://127.0.0.1:9"}, True),
    ],
)
def test_what_changes_something_must_come_from_our_own_page(api: Api, headers: dict[str, str], refused: bool) -> None:
    url = f"/api/pockets/{api.id}/imports?name=a.wav"
    answer = api.client.post(url, data=GOOD["plain.wav"], headers={**PLAIN, **headers})
    assert answer.status_code == (403 if refused else 202), answer.text


def test_a_host_that_is_not_ours(api: Api) -> None:
    for host in ("127.0.0.1:8001", "evil.example", "127.0.0.1"):
        assert api.client.get("/api/about", headers={"Host": host}).status_code == 403
