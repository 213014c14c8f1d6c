"""Talk to the API as a recorder does."""

from builders import ARCHIVE, HOST, a_layout
from reditus.exchange.simulated import as_recording
from reditus.simulator import simulate

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


def load(client, scenario, host=None):
    """Send a made-up host's whole archive."""
    path, machine = f"/api/archives/{scenario.archive}", scenario.machine
    recording = as_recording(host or simulate(scenario))
    told = {"host": {"id": str(machine.id), "name": machine.name}, "name": scenario.name, "source": "made up",
            "facts": machine.facts.as_json()}  # fmt: skip
    client.put(path, json=told)
    for layout in recording.layouts():
        client.put(f"{path}/layouts/{layout.digest.hex()}", json=layout.as_json())
    client.post(f"{path}/blocks", content=b"".join(block.to_bytes() for block in recording.blocks()))
