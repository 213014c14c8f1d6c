"""Listening ports by the kernel's socket diagnosis, with the programs that hold them."""

import ipaddress
import os
import pwd
import re
import socket
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from reditus.core.fact_parts import ListeningFacts
from reditus.recorder.hardware import words_of
from reditus.recorder.socket_diagnosis import CLOSE, LISTEN, sockets_in

MOST_LISTENING = 512
MOST_PROCESSES, MOST_FILES = 2_048, 8_192
"""So many are looked through for the programs of new sockets: some hundredths of a second, between two ticks."""
PROTOCOLS = (("tcp", socket.IPPROTO_TCP, LISTEN), ("udp", socket.IPPROTO_UDP, CLOSE))
_OWN = re.compile(r"socket:\[(\d+)\]")


@dataclass(frozen=True, slots=True)
class ListeningSocket:
    """A socket that waits, and the numbers by which its owner is found."""

    protocol: str
    address: str
    port: int
    user: int
    inode: int


class Listening:
    """What listens, from look to look: programs are searched for only where it has changed."""

    def __init__(self, proc: str = "/proc") -> None:
        self._proc = Path(proc)
        self._sockets: list[ListeningSocket] | None = None
        self._facts: tuple[ListeningFacts, ...] = ()
        self._programs: dict[int, str | None] = {}

    def facts(self) -> tuple[ListeningFacts, ...] | None:
        """In the order of protocol, port and address; None where the kernel does not tell."""
        try:
            sockets = sorted(
                self._worth_telling(), key=lambda item: (item.protocol, item.port, item.address, item.inode)
            )[:MOST_LISTENING]
        except OSError:
            return None
        if sockets != self._sockets:
            # A socket stays its program's; one that may not be looked at is not looked for again.
            new = {item.inode for item in sockets} - self._programs.keys()
            found = _programs(self._proc, new)
            known = self._programs | {inode: found.get(inode) for inode in new}
            self._programs = {item.inode: known[item.inode] for item in sockets}
            # A program's workers may share a port: it is listed once.
            self._facts = tuple(
                dict.fromkeys(
                    ListeningFacts(item.protocol, item.address, item.port, self._programs[item.inode], _user(item.user))
                    for item in sockets
                )
            )
            self._sockets = sockets
        return self._facts

    def _worth_telling(self) -> Iterator[ListeningSocket]:
        """All but the datagram sockets that a client was given a passing port for."""
        first, last = self._passing_ports()
        for item in listening_sockets():
            if item.protocol != "udp" or not first <= item.port <= last:
                yield item

    def _passing_ports(self) -> tuple[int, int]:
        try:
            first, last = (self._proc / "sys/net/ipv4/ip_local_port_range").read_text().split()
        except (OSError, ValueError):
            return 32_768, 60_999
        return int(first), int(last)


def listening_sockets() -> Iterator[ListeningSocket]:
    """Every listening socket of TCP and unconnected one of UDP, IPv4 and IPv6. Raise OSError."""
    for name, protocol, state in PROTOCOLS:
        for family in (socket.AF_INET, socket.AF_INET6):
            for answer in sockets_in(family, protocol, state):
                yield _socket_of(name, answer)


def _socket_of(name: str, answer: tuple[Any, ...]) -> ListeningSocket:
    family, port, source, user, inode = answer[0], answer[4], answer[6], answer[13], answer[14]
    address = str(ipaddress.IPv4Address(source[:4])) if family == socket.AF_INET else str(ipaddress.IPv6Address(source))
    return ListeningSocket(name, address, int.from_bytes(port, "big"), user, inode)


def _programs(proc: Path, inodes: set[int]) -> dict[int, str]:
    """Names of the programs that hold the sockets, where this user may look."""
    found: dict[int, str] = {}
    files = 0
    for number in sorted((name for name in os.listdir(proc) if name.isdigit()), key=int)[:MOST_PROCESSES]:
        if len(found) == len(inodes) or files >= MOST_FILES:
            break
        try:
            held = os.listdir(proc / number / "fd")
        except OSError:
            continue  # ended, or another user's
        for descriptor in held:
            files += 1
            try:
                own = _OWN.match(os.readlink(proc / number / "fd" / descriptor))
            except OSError:
                continue
            if own and int(own[1]) in inodes and int(own[1]) not in found:
                found[int(own[1])] = _name(proc / number)
    return found


def _name(process: Path) -> str:
    """A program may call itself anything."""
    return words_of(process / "comm") or "unnamed"


def _user(number: int) -> str:
    try:
        return pwd.getpwuid(number).pw_name
    except KeyError:
        return str(number)
