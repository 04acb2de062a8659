"""Requests made from the API's own description, now and then with what no client sends: none may be a mistake of ours."""

from __future__ import annotations

import collections
import json
import urllib.parse
from pathlib import Path
from typing import Any

import numpy as np

from bench.served import served
from tests.files import tone, wav
from tests.web.live import Live, until

DOCUMENT = json.loads(Path("docs/openapi.json").read_text())
STRANGE: list[Any] = [2**70, -(2**70), 2**63, 0, -1, "", "\u0000", "\u202egpj", "x" * 5000, None, True, [], {}, [[]], 1e308]
ODD = 0.12
# Streams are open for ever, and these end the run or what it stands on.
LEFT_OUT = ("/events",)


class Maker:
    """Values by a JSON schema; names and numbers that are there in the pocket come up often."""

    def __init__(self, rng: np.random.Generator, known: list[Any]) -> None:
        self.rng, self.known = rng, known

    def pick(self, some: list[Any]) -> Any:
        return some[int(self.rng.integers(len(some)))]

    def value(self, schema: dict[str, Any], depth: int = 0) -> Any:
        if self.rng.random() < ODD or depth > 8:
            return self.pick(STRANGE)
        if "$ref" in schema:
            return self.value(DOCUMENT["components"]["schemas"][schema["$ref"].rpartition("/")[2]], depth)
        for either in ("oneOf", "anyOf"):
            if either in schema:
                return self.value(self.pick(schema[either]), depth + 1)
        if "allOf" in schema:
            return self.value(schema["allOf"][0], depth)
        if "enum" in schema:
            return self.pick(schema["enum"])
        if "const" in schema:
            return schema["const"]
        kind = schema.get("type")
        if kind == "object" or "properties" in schema:
            return self._object(schema, depth)
        if kind == "array":
            count = int(self.rng.integers(schema.get("minItems", 0), min(schema.get("maxItems", 4), 4) + 1))
            return [self.value(schema.get("items", {}), depth + 1) for _ in range(count)]
        if kind == "boolean":
            return bool(self.rng.random() < 0.5)
        if kind in ("integer", "number"):
            low = schema.get("minimum", schema.get("exclusiveMinimum", 0))
            high = schema.get("maximum", schema.get("exclusiveMaximum", low + 64))
            drawn = low + float(self.rng.random()) * (high - low)
            return round(drawn) if kind == "integer" else drawn
        return None if kind == "null" else str(self.pick(self.known))

    def _object(self, schema: dict[str, Any], depth: int) -> dict[str, Any]:
        needed = set(schema.get("required", []))
        fields = schema.get("properties", {})
        return {name: self.value(field, depth + 1) for name, field in fields.items() if name in needed or self.rng.random() < 0.5}


def run(data: Path, many: int, seed: int) -> list[str]:
    rng = np.random.default_rng(seed)
    calls = [
        (method, path, told)
        for path, methods in sorted(DOCUMENT["paths"].items())
        for method, told in methods.items()
        if isinstance(told, dict) and not path.endswith(LEFT_OUT)
    ]
    wrong: dict[str, str] = {}
    answers: collections.Counter[int] = collections.Counter()
    with served(data) as server:
        for number in range(many):
            if number % 500 == 0:
                live = _pocket(server)
                maker = Maker(rng, _known(live))
                print(number, dict(answers), len(wrong), "wrong", flush=True)
            edit = rng.random() < 0.4
            method, path, told = next(c for c in calls if c[1].endswith("/edits")) if edit else maker.pick(calls)
            # What is deleted is another pocket's next.
            if method == "delete" and path == "/api/pockets/{pocket}":
                continue
            status = _one(live, maker, method, path, told)
            answers[status] += 1
            if status >= 500 and status not in (503, 507):
                wrong.setdefault(f"{method} {path} {status}", f"request {number}")
    print(dict(answers))
    return [f"{what}: {where}" for what, where in wrong.items()]


def _pocket(server: Any) -> Live:
    live = Live(server)
    live.upload("tone.wav", wav(tone(1.0)))
    until(lambda: live.state["pocket"]["sources"])
    live.edit({"type": "add_pattern", "name": "Steps"})
    live.edit({"type": "slices_to_pads", "source": "s1"})
    live.edit({"type": "add_bus", "name": "Drums", "pads": [0], "effects": ["eq"]})
    return live


def _known(live: Live) -> list[Any]:
    pocket = live.state["pocket"]
    ids = [live.id, *pocket["sources"], *pocket["patterns"], *pocket["buses"]]
    hashes = [source["audio"] for source in pocket["sources"].values()]
    return [*ids, *hashes, "0", "1", "s1", "wav", "flac", "Steps", "none"]


def _one(live: Live, maker: Maker, method: str, path: str, told: dict[str, Any]) -> int:
    query = {}
    for one in told.get("parameters", []):
        schema = one.get("schema", {})
        if one["in"] == "path":
            usual = live.id if one["name"] == "pocket" and maker.rng.random() < 0.9 else maker.pick(maker.known)
            path = path.replace("{" + one["name"] + "}", urllib.parse.quote(str(usual), safe=""))
        elif one.get("required") or maker.rng.random() < 0.5:
            query[one["name"]] = maker.value(schema)
    body = told.get("requestBody", {}).get("content", {}).get("application/json", {}).get("schema")
    made = maker.value(body) if body is not None else None
    if isinstance(made, dict) and "version" in made and maker.rng.random() < 0.9:
        made["version"] = live.state["version"]
    address = path + ("?" + urllib.parse.urlencode(query, errors="surrogatepass") if query else "")
    return live.ask(method.upper(), address, made)[0]
