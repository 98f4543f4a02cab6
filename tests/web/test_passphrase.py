"""Listening to the network: who does not know the passphrase gets nothing."""

from __future__ import annotations

from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from starlette.websockets import WebSocketDisconnect

from velvet_seam.store.tables import database
from velvet_seam.web import passphrase
from velvet_seam.web.app import create_app

PAGE = {"accept": "text/html"}


@pytest.fixture
def client(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    monkeypatch.setattr(passphrase, "WAIT_SECONDS", 0.01)
    app = create_app(tmp_path / "studio", "moth-lantern-42")
    with TestClient(app, base_url="http://studio.example:8421") as client:
        yield client
    database.close()


def test_a_visitor_is_asked_and_gets_nothing_else(client: TestClient):
    page = client.get("/", headers=PAGE)
    assert page.status_code == 401
    assert "Passphrase" in page.text
    for method, path in (
        ("GET", "/find"), ("GET", "/openapi.json"), ("POST", "/footage"),
        ("DELETE", "/footage/f-x"), ("GET", "/shots/s-x/live"), ("POST", "/static/../shots"),
    ):  # fmt: skip
        assert client.request(method, path).status_code == 401, path
    with (
        pytest.raises(WebSocketDisconnect),
        client.websocket_connect("ws://localhost/shots/s-x/live"),
    ):
        pass
    assert client.get("/static/app.css").status_code == 200


def test_only_the_right_passphrase_opens(client: TestClient):
    for wrong in ("", "moth", "moth-lantern-43", "x" * 9000):
        answer = client.post("/passphrase", data={"passphrase": wrong}, follow_redirects=False)
        assert (answer.status_code, "set-cookie" in answer.headers) == (401, False)
    client.cookies.set(passphrase.COOKIE, "guess")
    assert client.get("/find").status_code == 401
    client.cookies.clear()
    right = {"passphrase": " moth-lantern-42 "}
    answer = client.post("/passphrase", data=right, follow_redirects=False)
    assert answer.status_code == 303
    cookie = answer.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=strict" in cookie
    assert client.get("/", headers=PAGE).status_code == 200
    evil = {"origin": "http://elsewhere.example"}
    assert client.post("/shots", data={"canvas": "1080x1920"}, headers=evil).status_code == 403


def test_on_this_machine_nobody_is_asked(tmp_path: Path):
    with TestClient(create_app(tmp_path / "studio"), base_url="http://localhost") as client:
        assert client.get("/", headers=PAGE).status_code == 200
        assert client.get("/", headers={"host": "studio.example"}).status_code == 403
    database.close()
