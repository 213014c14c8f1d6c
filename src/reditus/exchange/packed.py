"""Files that may be packed in gzip or zstd: known by their first bytes, not by their names."""

import gzip
import io
import shutil
import zlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import BinaryIO

import zstandard

from reditus.exchange.errors import ExchangeError
from reditus.exchange.formats import PACKED_ENDINGS

GZIP, ZSTD = b"\x1f\x8b", b"\x28\xb5\x2f\xfd"
PACKED = GZIP, ZSTD
ERRORS = (EOFError, zlib.error, gzip.BadGzipFile, zstandard.ZstdError)
"""What reading of one raises that is damaged, or only a part."""
MOST_RATIO, ALWAYS_BYTES = 150, 16 << 20
"""What unpacks to more than so many times its size, and so many bytes, is made to fill a disk. Text of counters packs
to a thirtieth.
"""
LOOK_BYTES = 64 << 20
"""The room on the disk is looked at so often."""
FREE_BYTES = 256 << 20
"""Are left on the disk."""
PART_BYTES = 1 << 20


class PackedError(ExchangeError):
    """A packed file that is damaged, or unpacks to too much."""


def is_packed(path: Path) -> bool:
    """Whether a file is packed."""
    with path.open("rb") as file:
        return file.read(4).startswith(PACKED)


def without_ending(name: str) -> str:
    """The name of what is packed in a file of a name."""
    return next((name[: -len(ending)] for ending in PACKED_ENDINGS if name.lower().endswith(ending)), name)


@contextmanager
def opened(path: Path) -> Iterator[BinaryIO]:
    """The file's bytes, unpacked if they are packed. Reading may raise one of ERRORS."""
    with path.open("rb") as raw:
        head = raw.read(4)
        raw.seek(0)
        if head.startswith(GZIP):
            with gzip.GzipFile(fileobj=raw) as unpacked:
                yield io.BufferedReader(unpacked)
        elif head.startswith(ZSTD):
            yield io.BufferedReader(zstandard.ZstdDecompressor().stream_reader(raw, read_across_frames=True))
        else:
            yield raw


def most_bytes(path: Path) -> int:
    """What a file may unpack to."""
    return path.stat().st_size * MOST_RATIO + ALWAYS_BYTES


def first_bytes(path: Path, size_bytes: int) -> bytes:
    """The first so many bytes, unpacked. Raise PackedError."""
    with opened(path) as file:
        try:
            return file.read(size_bytes)
        except ERRORS as why:
            raise _damaged(why) from why


@contextmanager
def beginning(path: Path, size_bytes: int) -> Iterator[Path]:
    """A file as it is, or a plain one with the first bytes of what is packed in it. Raise PackedError."""
    if not is_packed(path):
        yield path
        return
    with TemporaryDirectory(prefix="reditus-look-") as folder:
        plain = Path(folder) / "beginning"
        plain.write_bytes(first_bytes(path, size_bytes))
        yield plain


def unpack(path: Path, target: Path, check: Callable[[], None]) -> None:
    """Write what is packed in a file to another. `check` is called now and then, and may raise to end the work. Raise
    PackedError; then, as for whatever `check` raises, nothing is left.
    """
    allowed_bytes = most_bytes(path)
    size = 0
    try:
        with opened(path) as packed, target.open("wb") as plain:
            while part := packed.read(PART_BYTES):
                size += len(part)
                if size > allowed_bytes:
                    raise PackedError(f"it unpacks to more than {MOST_RATIO} times its size")
                if size % LOOK_BYTES < PART_BYTES and shutil.disk_usage(target.parent).free < FREE_BYTES:
                    raise PackedError(f"it unpacks to more than {size:,} bytes, and the disk has no room for it")
                plain.write(part)
                check()
    except ERRORS as why:
        target.unlink(missing_ok=True)
        raise _damaged(why, size) from why
    except BaseException:
        target.unlink(missing_ok=True)
        raise


def _damaged(why: Exception, size: int = 0) -> PackedError:
    behind = f" behind {size:,} unpacked bytes" if size else ""
    return PackedError(f"the packed file is damaged or cut off{behind}: {why}")
