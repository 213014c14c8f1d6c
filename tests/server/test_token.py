"""A token, where the settings have one: other users of this machine reach loopback too."""

import pytest
from fastapi.testclient import TestClient

from reditus.server.app import create_app
from reditus.server.settings import Settings

TOKEN = "an-unlikely-guess-0815"


@pytest.fixture
def guarded(store):
    settings = Settings(allowed_hosts=["testserver"], token=TOKEN)
    with TestClient(create_app(store, settings)) as client:
        yield client


@pytest.mark.parametrize(
    "headers", [{}, {"authorization": "Bearer wrong"}, {"authorization": TOKEN}, {"cookie": "x=1"}]
)
def test_without_it_nothing_is_answered(guarded, headers):
    for path in ("/api/health", "/api/archives", "/api/openapi.json", "/metrics"):
        response = guarded.get(path, headers=headers)
        assert response.status_code == 401
        assert response.headers["www-authenticate"] == "Bearer"


def test_measurements_are_not_taken_without_it(guarded):
    headers = {"content-type": "application/x-protobuf"}
    assert guarded.post("/v1/metrics", content=b"", headers=headers).status_code == 401
    headers["authorization"] = f"Bearer {TOKEN}"
    assert guarded.post("/v1/metrics", content=b"", headers=headers).status_code == 200


def test_programs_send_it_as_a_header(guarded):
    assert guarded.get("/api/health", headers={"authorization": f"Bearer {TOKEN}"}).json()["status"] == "ok"


def test_a_link_turns_it_into_a_cookie(guarded):
    response = guarded.get(f"/?token={TOKEN}", follow_redirects=False)
    assert (response.status_code, response.headers["location"]) == (303, "/")
    cookie = response.headers["set-cookie"].lower()
    assert "httponly" in cookie
    assert "samesite=strict" in cookie
    assert guarded.get("/api/health").status_code == 200


@pytest.mark.parametrize("token", ["short", "with a blank in it!", "ünïcodé-is-not-for-headers"])
def test_a_weak_one_is_refused(token):
    with pytest.raises(ValueError, match="token"):
        Settings(token=token)
