"""Being root no longer than needed. A process that was started by root goes on as `nobody`, with the few capabilities
that it cannot do without (capabilities(7)).
"""

import ctypes
import os
import pwd
import struct
from collections.abc import Sequence
from pathlib import Path

USER = "nobody"
CAP_DAC_READ_SEARCH, CAP_SYS_PTRACE, CAP_SYSLOG = 2, 19, 34
RECORDER_KEEPS = (CAP_DAC_READ_SEARCH, CAP_SYS_PTRACE, CAP_SYSLOG)
"""To read log files and mounts that are closed to others, the I/O of other users' processes, and the kernel's log."""
_PR_SET_PDEATHSIG, _PR_GET_PDEATHSIG, _PR_SET_KEEPCAPS = 1, 2, 8
_CAP_VERSION_3 = 0x20080522
_libc = ctypes.CDLL(None, use_errno=True)


def drop_root(*, keep: Sequence[int] = (), needs: Sequence[Path] = (), owned: Sequence[Path] = ()) -> str | None:
    """Go on as `nobody`; before any thread is started. `needs` must be readable by it, `owned` folders are given to it.

    Return None when that is done, or was not needed; else why this process stays root.
    """
    if os.geteuid() != 0:
        return None
    try:
        user = pwd.getpwnam(USER)
    except KeyError:
        return f"there is no user {USER!r} here"
    ends_with_parent = _death_signal()
    closed = _closed_to(user, needs)
    # The kernel forgets it whenever the user changes.
    _prctl(_PR_SET_PDEATHSIG, ends_with_parent)
    if closed is not None and CAP_DAC_READ_SEARCH not in keep:
        return f"{closed} is closed to others"
    try:
        for folder in owned:
            _give(folder, user)
        _prctl(_PR_SET_KEEPCAPS, 1)
        os.setgroups([])
        os.setgid(user.pw_gid)
        os.setuid(user.pw_uid)
        _keep_only(keep)
        _prctl(_PR_SET_PDEATHSIG, ends_with_parent)
    except OSError as why:
        return f"that is not allowed here: {why.strerror}"
    return None


def _closed_to(user: pwd.struct_passwd, paths: Sequence[Path]) -> Path | None:
    """The first of the files and folders that a user cannot read."""
    os.setegid(user.pw_gid)
    os.seteuid(user.pw_uid)
    try:
        for path in paths:
            try:
                if path.is_dir():
                    os.listdir(path)
                else:
                    path.open("rb").close()
            except OSError:
                return path
        return None
    finally:
        os.seteuid(0)
        os.setegid(0)


def _give(folder: Path, user: pwd.struct_passwd) -> None:
    for path in (folder, *folder.rglob("*")):
        os.chown(path, user.pw_uid, user.pw_gid, follow_symlinks=False)


def _keep_only(capabilities: Sequence[int]) -> None:
    """Effective and permitted; none are handed down."""
    bits = sum(1 << number for number in capabilities)
    low, high = bits & 0xFFFF_FFFF, bits >> 32
    head = struct.pack("<Ii", _CAP_VERSION_3, 0)
    body = struct.pack("<6I", low, low, 0, high, high, 0)
    if _libc.capset(head, body):
        number = ctypes.get_errno()
        raise OSError(number, os.strerror(number))


def _death_signal() -> int:
    """What the kernel sends when the parent ends; 0 for nothing."""
    found = ctypes.c_int(0)
    if _libc.prctl(_PR_GET_PDEATHSIG, ctypes.byref(found), 0, 0, 0):
        return 0
    return found.value


def _prctl(option: int, value: int) -> None:
    if _libc.prctl(option, value, 0, 0, 0):
        number = ctypes.get_errno()
        raise OSError(number, os.strerror(number))
