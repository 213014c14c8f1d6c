"""Listening ports as this kernel lists them, and whose they are."""

import os
import pwd
import socket
from pathlib import Path

import pytest

from reditus.core.facts import HostFacts, ListeningFacts
from reditus.recorder import listening
from reditus.recorder.listening import Listening

pytestmark = pytest.mark.kernel
OWN = Path("/proc/self/comm").read_text().strip()
USER = pwd.getpwuid(os.geteuid()).pw_name


def listener(family, kind, address, port=0):
    opened = socket.socket(family, kind)
    opened.bind((address, port))
    if kind == socket.SOCK_STREAM:
        opened.listen(4)
    return opened


def test_what_this_process_listens_at_is_listed_with_program_and_user():
    looked = Listening()
    with (
        listener(socket.AF_INET, socket.SOCK_STREAM, "127.0.0.1") as four,
        listener(socket.AF_INET6, socket.SOCK_STREAM, "::1") as six,
    ):
        found = looked.facts()
        assert ListeningFacts("tcp", "127.0.0.1", four.getsockname()[1], OWN, USER) in found
        assert ListeningFacts("tcp", "::1", six.getsockname()[1], OWN, USER) in found
        port = four.getsockname()[1]
    # One look later it is gone, for so long nothing is kept.
    assert not any(item.port == port and item.program == OWN for item in looked.facts())


def test_connections_are_not_listed():
    with (
        listener(socket.AF_INET, socket.SOCK_STREAM, "127.0.0.1") as server,
        socket.create_connection(server.getsockname()) as client,
    ):
        ports = {item.port for item in Listening().facts()}
        assert server.getsockname()[1] in ports
        assert client.getsockname()[1] not in ports


def test_a_client_s_passing_port_is_not_worth_a_note(monkeypatch, tmp_path):
    (tmp_path / "sys/net/ipv4").mkdir(parents=True)
    with listener(socket.AF_INET, socket.SOCK_DGRAM, "127.0.0.1") as opened:
        port = opened.getsockname()[1]
        for passing, listed in ((f"{port}\t{port}\n", False), (f"{port + 1}\t{port + 1}\n", True)):
            (tmp_path / "sys/net/ipv4/ip_local_port_range").write_text(passing)
            ports = {item.port for item in Listening(str(tmp_path)).facts() if item.protocol == "udp"}
            assert (port in ports) is listed


def test_programs_are_searched_for_only_where_something_changed(monkeypatch):
    looked, searched = Listening(), []
    programs = listening._programs
    monkeypatch.setattr(listening, "_programs", lambda *given: searched.append(given) or programs(*given))
    sockets = list(listening.listening_sockets())
    monkeypatch.setattr(listening, "listening_sockets", lambda: iter(sockets))
    assert looked.facts() == looked.facts()
    assert len(searched) == 1


def test_a_kernel_that_refuses_is_no_kernel_without_listeners(monkeypatch):
    def refused():
        raise OSError(93, "Protocol not supported")

    monkeypatch.setattr(listening, "listening_sockets", refused)
    assert Listening().facts() is None
    assert HostFacts().as_json()["listening"] is None


@pytest.mark.parametrize(
    ("given", "says"),
    [
        ("all", "listening: a list of at most 4096 ports"),
        ([{"protocol": "tcp", "address": "::"}], r"listening\[0\].port: a number up to 65535"),
        ([{"protocol": "tcp", "address": "::", "port": 70_000}], r"listening\[0\].port"),
        ([{"address": "::", "port": 7}], r"listening\[0\].protocol"),
    ],
)
def test_what_cannot_be_is_named_with_its_place(given, says):
    with pytest.raises(ValueError, match=says):
        HostFacts.from_json({"listening": given})


def test_a_program_may_call_itself_anything(tmp_path):
    (tmp_path / "comm").write_text("\x1b[31mred\nline\n")
    assert listening._name(tmp_path) == "[31mred line"
    (tmp_path / "comm").write_text("\n")
    assert listening._name(tmp_path) == "unnamed"
