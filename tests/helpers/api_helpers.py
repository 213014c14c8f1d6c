"""Talk to the API as a recorder does."""

from builders import ARCHIVE, HOST, a_schema
from reditus.exchange.simulated import as_recording
from reditus.simulator import simulate

BLOCKS = f"/api/archives/{ARCHIVE}/blocks"
REGISTRATION = {
    "host": {"id": str(HOST), "name": "testbed"},
    "name": "trial",
    "source": "recorded",
    "facts": {"cores": 2},
}


def introduce(client, *schemas):
    assert client.put(f"/api/archives/{ARCHIVE}", json=REGISTRATION).status_code == 200
    for schema in schemas or (a_schema(),):
        path = f"/api/archives/{ARCHIVE}/schemas/{schema.digest.hex()}"
        assert client.put(path, json=schema.as_json()).status_code == 204


def send(client, *blocks):
    return client.post(BLOCKS, content=b"".join(block.to_bytes() for block in blocks))


def load(client, scenario, host=None):
    """Send a simulated host's whole archive."""
    path, machine = f"/api/archives/{scenario.archive}", scenario.machine
    recording = as_recording(host or simulate(scenario))
    answer = {"host": {"id": str(machine.id), "name": machine.name}, "name": scenario.name, "source": "simulated",
            "facts": machine.facts.as_json()}  # fmt: skip
    client.put(path, json=answer)
    for schema in recording.schemas():
        client.put(f"{path}/schemas/{schema.digest.hex()}", json=schema.as_json())
    client.post(f"{path}/blocks", content=b"".join(block.to_bytes() for block in recording.blocks()))
