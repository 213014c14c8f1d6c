"""The kernel's socket diagnosis (sock_diag(7)): the sockets that are in some states, and only those.

So a machine with a hundred thousand connections costs no more than an idle one; /proc/net/tcp would list them all.
"""

import errno
import socket
import struct
from collections.abc import Iterator
from typing import Any

ESTABLISHED, SYN_SENT, SYN_RECEIVED, FIN_WAIT_1, FIN_WAIT_2, TIME_WAIT = 1, 2, 3, 4, 5, 6
CLOSE, CLOSE_WAIT, LAST_ACK, LISTEN, CLOSING = 7, 8, 9, 10, 11
"""As the kernel numbers the states of TCP; a socket of UDP that is not connected is in CLOSE."""
TIMEOUT_S = 2.0
_SOCK_DIAG, _BY_FAMILY, _DUMP, _ERROR, _DONE = 4, 20, 0x301, 2, 3
_HEADER = struct.Struct("=IHHII")
_REQUEST = struct.Struct("=BBBBI48x")
_ANSWER = struct.Struct("=BBBB2s2s16s16s4s8sIIIII")
_STATE = 1
"""Place of the state in an answer."""


def sockets_in(family: int, protocol: int, *states: int) -> Iterator[tuple[Any, ...]]:
    """What the kernel says of each socket in some states: family, state, timer, retransmits, port, peer's port,
    address, peer's address, interface, cookie, expiry, length of the queues, user and inode. Raise OSError.
    """
    for part, at, length in _messages(family, protocol, states):
        if length >= _HEADER.size + _ANSWER.size:
            yield _ANSWER.unpack_from(part, at + _HEADER.size)


def states_of(family: int, protocol: int, *states: int) -> Iterator[int]:
    """The state of each socket that is in one of some. Raise OSError."""
    for part, at, length in _messages(family, protocol, states):
        if length > _HEADER.size + _STATE:
            yield part[at + _HEADER.size + _STATE]


def _messages(family: int, protocol: int, states: tuple[int, ...]) -> Iterator[tuple[bytes, int, int]]:
    """What the kernel answers: a part of it, where in that the message begins, and how long it is."""
    request = _REQUEST.pack(family, protocol, 0, 0, sum(1 << state for state in states))
    with socket.socket(socket.AF_NETLINK, socket.SOCK_DGRAM, _SOCK_DIAG) as channel:
        channel.settimeout(TIMEOUT_S)
        channel.sendto(_HEADER.pack(_HEADER.size + len(request), _BY_FAMILY, _DUMP, 1, 0) + request, (0, 0))
        while True:
            part = channel.recv(1 << 16)
            at = 0
            while at + _HEADER.size <= len(part):
                length, kind, *_ = _HEADER.unpack_from(part, at)
                if kind == _DONE:
                    return
                if kind == _ERROR or length < _HEADER.size:
                    raise OSError(errno.EPROTO, "the kernel refused to list its sockets")
                yield part, at, length
                at += (length + 3) & ~3
