"""Talk to the API as a recorder does."""

from builders import ARCHIVE, HOST, a_layout

BLOCKS = f"/api/archives/{ARCHIVE}/blocks"
REGISTRATION = {
    "host": {"id": str(HOST), "name": "testbed"},
    "name": "trial",
    "source": "recorded",
    "facts": {"cores": 2},
}


def introduce(client, *layouts):
    assert client.put(f"/api/archives/{ARCHIVE}", json=REGISTRATION).status_code == 200
    for layout in layouts or (a_layout(),):
        path = f"/api/archives/{ARCHIVE}/layouts/{layout.digest.hex()}"
        assert client.put(path, json=layout.as_json()).status_code == 204


def send(client, *blocks):
    return client.post(BLOCKS, content=b"".join(block.to_bytes() for block in blocks))
