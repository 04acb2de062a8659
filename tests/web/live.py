"""A client of the running application, over a real connection."""

from __future__ import annotations

import http.client
import json
import time
from collections.abc import Callable
from typing import Any

from bench.served import Served


class Live:
    def __init__(self, server: Served) -> None:
        self.server = server
        self.id: str = self.ask("POST", "/api/pockets", {"name": "Live"})[1]["id"]

    def ask(self, method: str, path: str, body: Any = None, raw: bytes | None = None) -> tuple[int, Any]:
        """(status, answer). Raises OSError or HTTPException while the server is away."""
        connection = http.client.HTTPConnection("127.0.0.1", self.server.port, timeout=20)
        try:
            data = raw if raw is not None else (json.dumps(body) if body is not None else None)
            kind = "application/json" if raw is None else "application/octet-stream"
            connection.request(method, path, data, {"Content-Type": kind})
            answer = connection.getresponse()
            text = answer.read()
            return answer.status, json.loads(text) if answer.headers.get_content_type() == "application/json" else text
        finally:
            connection.close()

    @property
    def state(self) -> Any:
        return self.ask("GET", f"/api/pockets/{self.id}")[1]

    def edit(self, edit: dict[str, Any], version: int | None = None) -> tuple[int, Any]:
        at = self.state["version"] if version is None else version
        return self.ask("POST", f"/api/pockets/{self.id}/edits", {"version": at, "edit": edit})

    def upload(self, name: str, data: bytes) -> Any:
        status, job = self.ask("POST", f"/api/pockets/{self.id}/imports?name={name}", raw=data)
        assert status == 202, job
        return job

    def job(self, job: str) -> Any:
        return self.ask("GET", f"/api/jobs/{job}")[1]

    def open_jobs(self) -> list[Any]:
        return list(self.ask("GET", f"/api/pockets/{self.id}/jobs")[1]["jobs"])


def until(true: Callable[[], Any], seconds: float = 60) -> Any:
    """Wait for a condition; what it gave when it held. Connection errors count as not yet."""
    end = time.monotonic() + seconds
    last: object = None
    while time.monotonic() < end:
        try:
            last = true()
        except (OSError, http.client.HTTPException) as error:
            last = error
        else:
            if last:
                return last
        time.sleep(0.05)
    raise AssertionError(f"did not come true within {seconds} s; last: {last}")
