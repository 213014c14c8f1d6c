"""Layouts that are saved: kept, ordered, deleted and brought back."""

from uuid import uuid4

import pytest

from api_helpers import introduce
from builders import HOST

PATH = "/api/layouts"
STRIPS = ["cores", "disk@top5~h180", "use.processor{by=user}@each"]


def save(client, name, layout=None, **more):
    layout = layout or str(uuid4())
    response = client.put(f"{PATH}/{layout}", json={"name": name, "strips": STRIPS, **more})
    assert response.status_code == 200, response.text
    return response.json()


def names(client):
    return [layout["name"] for layout in client.get(PATH).json()]


def test_a_layout_is_kept_as_it_was_saved_and_replaced_by_the_next(client):
    saved = save(client, "Nightly look")
    assert saved["strips"] == STRIPS
    assert saved["host"] is None
    assert client.get(PATH).json() == [saved]
    save(client, "Nightly look, again", saved["id"])
    assert names(client) == ["Nightly look, again"]


def test_layouts_stand_in_the_order_that_was_chosen_new_ones_last(client):
    first, second, third = (save(client, name) for name in ("first", "second", "third"))
    ordered = client.put(f"{PATH}/order", json=[third["id"], first["id"]])
    assert [layout["name"] for layout in ordered.json()] == ["third", "first", "second"]
    save(client, "fourth")
    save(client, "second, changed", second["id"])
    assert names(client) == ["third", "first", "second, changed", "fourth"]


def test_a_deleted_layout_comes_back_where_it_was(client):
    save(client, "first")
    second = save(client, "second")
    save(client, "third")
    assert client.delete(f"{PATH}/{second['id']}").status_code == 204
    assert names(client) == ["first", "third"]
    assert client.post(f"{PATH}/{second['id']}/restore").json() == second
    assert names(client) == ["first", "second", "third"]


def test_a_layout_may_be_for_one_host_that_there_is(client):
    introduce(client)
    assert save(client, "of the lab", host=str(HOST))["host"] == str(HOST)
    refused = client.put(f"{PATH}/{uuid4()}", json={"name": "x", "strips": ["cores"], "host": str(uuid4())})
    assert refused.status_code == 404
    assert "for all hosts" in refused.json()["detail"]


@pytest.mark.parametrize(
    "body",
    [
        {"name": "", "strips": ["cores"]},
        {"name": "x", "strips": []},
        {"name": "x", "strips": ["cores"] * 41},
        {"name": "x", "strips": ["a;b"]},
        {"name": "x", "strips": ["a\x00b"]},
    ],
)
def test_what_is_no_layout_is_refused_and_nothing_is_kept(client, body):
    assert client.put(f"{PATH}/{uuid4()}", json=body).status_code == 422
    assert names(client) == []


def test_what_was_never_saved_cannot_be_deleted_or_brought_back(client):
    for refused in (client.delete(f"{PATH}/{uuid4()}"), client.post(f"{PATH}/{uuid4()}/restore")):
        assert refused.status_code == 404
        assert refused.json()["title"] == "No such layout"


def test_there_is_an_end_to_how_many_are_kept(client, monkeypatch):
    monkeypatch.setattr("reditus.store.archives.layouts.MOST_LAYOUTS", 2)
    save(client, "first")
    second = save(client, "second")
    refused = client.put(f"{PATH}/{uuid4()}", json={"name": "third", "strips": ["cores"]})
    assert refused.status_code == 409
    save(client, "second, changed", second["id"])  # what is there may be changed all the same
