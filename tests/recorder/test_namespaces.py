"""Bytes sent from one network namespace to another are found in the recorded counters."""

import os
import shutil
import socket
import subprocess
import sys
import time

import pytest

from reditus.recorder.sampler import Sampler

SENT_BYTES = 32 << 20
OURS, THEIRS = "10.203.77.1", "10.203.77.2"
WAIT_S = 20
RECEIVE = """
import socket
listening = socket.create_server(("0.0.0.0", 9999))
print("ready", flush=True)
peer, _ = listening.accept()
got = 0
while part := peer.recv(1 << 20):
    got += len(part)
print(got, flush=True)
"""


def ip(*words):
    subprocess.run(["ip", *words], check=True, capture_output=True, timeout=WAIT_S)


@pytest.fixture
def namespace():
    """A namespace with a cable to this one; the name of our end is returned with its name."""
    if os.geteuid() != 0 or shutil.which("ip") is None:
        pytest.skip("a network namespace needs the superuser and iproute2")
    name, near, far = f"reditus-{os.getpid()}", f"rt{os.getpid() % 10**6}a", f"rt{os.getpid() % 10**6}b"
    ip("netns", "add", name)
    try:
        ip("link", "add", near, "type", "veth", "peer", "name", far, "netns", name)
        ip("address", "add", f"{OURS}/24", "dev", near)
        ip("link", "set", near, "up")
        ip("-n", name, "address", "add", f"{THEIRS}/24", "dev", far)
        ip("-n", name, "link", "set", far, "up")
        yield name, near
    finally:
        ip("netns", "delete", name)


def transmitted(sampler, interface):
    (reading,) = (item for item in sampler.tick() if item.group == "network")
    answer = {
        (column.counter, column.attribute("network.interface.name"), column.attribute("network.io.direction")): value
        for column, value in zip(reading.columns, reading.values.tolist(), strict=True)
    }
    return answer["system.network.io", interface, "transmit"]


@pytest.mark.kernel
def test_bytes_between_namespaces_are_counted_on_the_cable(namespace):
    name, near = namespace
    sampler = Sampler()
    receiver = subprocess.Popen(
        ["ip", "netns", "exec", name, sys.executable, "-c", RECEIVE], stdout=subprocess.PIPE, text=True
    )
    assert receiver.stdout
    try:
        assert receiver.stdout.readline() == "ready\n"
        before = transmitted(sampler, near)
        with socket.create_connection((THEIRS, 9999), timeout=WAIT_S) as peer:
            peer.sendall(bytes(SENT_BYTES))
        assert int(receiver.stdout.readline()) == SENT_BYTES
        time.sleep(0.2)
        counted = transmitted(sampler, near) - before
    finally:
        receiver.kill()
        receiver.wait()
        receiver.stdout.close()
        sampler.close()
    # All of it, and at most a tenth more for the headers of its packets.
    assert SENT_BYTES <= counted <= 1.1 * SENT_BYTES
