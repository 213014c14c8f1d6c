"""Syslog over real sockets: both ways of framing, datagrams, what is too long, and what is too much."""

import socket
import time

import pytest
from fastapi.testclient import TestClient

from builders import ARCHIVE, HOST, a_block, a_schema
from cases import SHORT, load_whole
from databases import new_database
from e2e_helpers import wait_until
from reditus.core.facts import HostFacts
from reditus.core.log_lines import syslog_message
from reditus.core.rfc3339 import parse_time, spell_time
from reditus.core.types import NS_PER_S
from reditus.server import syslog
from reditus.server.app import create_app
from reditus.server.settings import Settings
from reditus.store import HostInfo
from reditus.store.store import Store

LINE = "<11>1 2026-11-12T09:10:0{second}Z {host} shopd 42 - - payment {second} refused"


@pytest.fixture
def port():
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return probe.getsockname()[1]


@pytest.fixture
def client(cluster, tmp_path, port):
    store = Store(new_database(cluster))
    store.migrate()
    with TestClient(
        create_app(store, Settings(allowed_hosts=["testserver"], data=tmp_path, syslog_port=port))
    ) as client:
        yield client
    store.close()


def markers(client, host):
    found = [
        each for each in client.get("/api/archives").json() if each["host"]["name"] == host and each["name"] == "syslog"
    ]
    if not found:
        return []
    window = {"from": "2026-11-01T00:00:00Z", "to": "2027-12-01T00:00:00Z"}
    return client.get(f"/api/archives/{found[0]['id']}/markers", params=window).json()["markers"]


def texts(client, host):
    return [each["text"] for each in markers(client, host)]


def sent(port, data):
    with socket.create_connection(("127.0.0.1", port)) as connection:
        connection.sendall(data)


def line(second, host="till-1"):
    return LINE.format(second=second, host=host).encode()


def counted(message):
    return f"{len(message)} ".encode() + message


def test_both_ways_of_framing_and_datagrams(client, port):
    sent(port, counted(line(1)) + counted(line(2) + b"\nsecond row"))
    sent(port, line(3) + b"\n" + line(4) + b"\r\n\n" + line(5))
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as datagrams:
        datagrams.sendto(line(6), ("127.0.0.1", port))
    wait_until(lambda: len(texts(client, "till-1")) == 6)
    assert texts(client, "till-1") == [
        "payment 1 refused", "payment 2 refused second row", *(f"payment {second} refused" for second in (3, 4, 5, 6)),
    ]  # fmt: skip
    first = markers(client, "till-1")[0]
    assert (first["source"], first["severity"], first["log"]) == ("shopd[42]", "error", "shopd")


def test_lines_stand_beside_the_counters_of_their_host(client, port):
    load_whole(client, SHORT)
    sent(port, line(1, "stitch-01") + b"\n")
    wait_until(lambda: texts(client, "stitch-01"))
    window = {"from": "2026-11-12T09:10:00Z", "to": "2026-11-12T09:10:05Z"}
    found = client.get(f"/api/archives/{SHORT.machine.id}/markers", params=window).json()["markers"]
    assert "payment 1 refused" in [each["text"] for each in found]
    # What is known of the host stays.
    assert client.get(f"/api/archives/{SHORT.machine.id}").json()["facts"]["cores"] == SHORT.machine.facts.cores


def test_lines_go_into_what_is_being_recorded(client, port):
    store = client.app.state.context.store
    now_ns = time.time_ns() // NS_PER_S * NS_PER_S
    store.archives.register(
        host=HostInfo(HOST, "live-1"), archive=ARCHIVE, name="live", source="recorded", facts=HostFacts()
    )
    store.add_schema(ARCHIVE, a_schema())
    store.append(ARCHIVE, [a_block(3, begin_ns=now_ns - 5 * NS_PER_S)])
    sent(port, f"<11>1 {spell_time(now_ns)} live-1 shopd - - - refused\n".encode())
    window = {"from": spell_time(now_ns - 60 * NS_PER_S), "to": spell_time(now_ns + 60 * NS_PER_S)}

    def found():
        return client.get(f"/api/archives/{ARCHIVE}/markers", params=window).json()["markers"]

    wait_until(found)
    assert [each["text"] for each in found()] == ["refused"]
    assert len(client.get("/api/archives").json()) == 1


def test_what_is_too_long_is_cut_and_what_is_broken_closes_its_connection_alone(client, port):
    sent(port, b"<11>1 2026-11-12T09:10:01Z long - - - - " + b"x" * 100_000 + b"\n" + line(2, "long") + b"\n")
    sent(port, counted(line(3, "long") + b"y" * 60_000) + counted(line(4, "long")))
    sent(port, b"12x34 nonsense")
    wait_until(lambda: len(texts(client, "long")) == 4)
    found = texts(client, "long")
    assert found[0].startswith("xxx")
    assert len(found[0]) <= 2_000
    assert found[1] == "payment 2 refused"
    assert found[3] == "payment 4 refused"


def test_what_is_too_much_is_dropped_and_reported(client, port, monkeypatch):
    monkeypatch.setattr(syslog, "MOST_WAITING", 10)
    monkeypatch.setattr(syslog, "EVERY_S", 3_600.0)
    client.app.state.context.store.archives.all()  # the loop runs its last short round
    sent(port, b"".join(line(1, "flood") + b"\n" for _ in range(500)))
    wait_until(lambda: any("came faster than they can be kept" in text for text in texts(client, "flood")), 20.0)


def test_it_is_off_unless_a_port_is_set(cluster, tmp_path, port):
    store = Store(new_database(cluster))
    store.migrate()
    app = create_app(store, Settings(allowed_hosts=["testserver"], data=tmp_path))
    with TestClient(app), socket.socket() as probe:
        assert probe.connect_ex(("127.0.0.1", port)) != 0
    store.close()


@pytest.mark.parametrize(
    ("raw", "host", "source", "text"),
    [
        (b"<13>Nov 12 09:10:01 till-1 shopd[42]: hello", "till-1", "shopd[42]", "hello"),
        (b"<13>shopd: hello", "", "shopd", "hello"),
        (b"just words", "", "", "just words"),
        (b"<999>1 2026-11-12T09:10:01Z h p - - - x", "", "", "1 2026-11-12T09:10:01Z h p - - - x"),
        (b"\xff\xfe\x00", "", "", "��"),
    ],
)
def test_older_ways(raw, host, source, text):
    received_ns = parse_time("2026-11-12T09:10:05Z")
    named, marker = syslog_message(raw, received_ns)
    assert (named, marker.source, marker.text, marker.at_ns) == (host, source, text, received_ns)
