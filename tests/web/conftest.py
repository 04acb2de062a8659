"""The API without a network: Flask's test client, and imports run in place of the worker."""

from __future__ import annotations

from typing import Any

import pytest
from flask.testing import FlaskClient
from werkzeug.test import TestResponse

from grainpocket.jobs.worker import Worker
from grainpocket.settings import Settings
from grainpocket.web.app import create_app

HOST = {"Host": "127.0.0.1:8000", "X-Grain-Pocket": "test"}


class Api:
    """A client of one pocket."""

    def __init__(self, client: FlaskClient, worker: Worker) -> None:
        self.client, self.worker = client, worker
        self.id: str = self.post("/api/pockets", {"name": "Test"}, 201)["id"]

    def ask(self, method: str, path: str, body: Any = None, headers: dict[str, str] | None = None) -> TestResponse:
        return self.client.open(path, method=method, json=body, headers={**HOST, **(headers or {})})

    def get(self, path: str, status: int = 200) -> Any:
        answer = self.ask("GET", path)
        assert answer.status_code == status, answer.text
        return answer.json if answer.mimetype == "application/json" else answer.data

    def post(self, path: str, body: Any = None, status: int = 200) -> Any:
        answer = self.ask("POST", path, body)
        assert answer.status_code == status, answer.text
        return answer.json if answer.mimetype == "application/json" else answer.data

    def post_bytes(self, path: str, data: bytes, status: int = 200) -> Any:
        answer = self.client.post(path, data=data, headers=HOST)
        assert answer.status_code == status, answer.text
        return answer.json

    def delete(self, path: str, status: int = 200) -> Any:
        answer = self.ask("DELETE", path)
        assert answer.status_code == status, answer.text
        return answer.json

    @property
    def state(self) -> Any:
        return self.get(f"/api/pockets/{self.id}")

    def edit(self, edit: dict[str, Any], status: int = 200, version: int | None = None, **more: Any) -> Any:
        body = {"version": self.state["version"] if version is None else version, "edit": edit, **more}
        return self.post(f"/api/pockets/{self.id}/edits", body, status)

    def bring_in(self, name: str, data: bytes, again: bool = False) -> Any:
        """Import a file and return its ended job."""
        query = {"name": name, "again": again}
        answer = self.client.post(f"/api/pockets/{self.id}/imports", query_string=query, data=data, headers=HOST)
        assert answer.status_code == 202, answer.text
        job = answer.json["id"]
        self.worker.run(job)
        return self.get(f"/api/jobs/{job}")


@pytest.fixture
def api(settings: Settings) -> Api:
    app = create_app(settings)
    worker = Worker(settings)
    return Api(app.test_client(), worker)
