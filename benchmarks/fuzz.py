"""Absurd inputs, by the hundred thousand: to intake, to every reader of files, to OTLP and syslog, and to
the whole API of a real server. Prints what became of them.

Run: .venv/bin/python -m benchmarks.fuzz [COUNT] [--seed N]

What must not be: an answer of 500 or more, an unforeseen exception, an answer that takes over two seconds, memory that
grows from the second quarter to the last.
"""

import argparse
import gzip
import json
import random
import struct
import tempfile
import time
import traceback
import zlib
from collections import Counter
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import quote
from uuid import UUID, uuid4

import httpx
import numpy as np

from benchmarks.fuzz_files import files_in, otlp, printed_in, syslog
from benchmarks.table import show
from reditus.cli.service import service
from reditus.core.blocks import Stretch, encode_block
from reditus.core.kernel_columns import CPU_MODES, cpu_time
from reditus.core.log_lines import JOURNAL, SYSLOG, parse_lines
from reditus.core.schema import Schema
from reditus.core.types import NS_PER_S
from reditus.exchange import CaptureError, read_capture
from reditus.server.settings import Settings

SLOW_S = 2.0
SCHEMA = Schema("cpu", 0, tuple(cpu_time(mode, str(core)) for core in range(2) for mode in CPU_MODES))
BEGIN_NS = 1_794_474_000 * NS_PER_S
ODD = (
    "\0",
    "\x1b[31m",
    "\u202e",
    "\ud800",
    "a" * 5_000,
    "",
    " ",
    "../../x",
    "%00",
    "'; drop table blocks --",
    "\u009b",
    "ß",
)
NUMBERS = (0, -1, 1, 1 << 31, 1 << 63, -(1 << 63), 1e308, -0.0, 10**40, float("nan"), float("inf"), 0.1)


@dataclass
class Tally:
    outcomes: Counter[str] = field(default_factory=Counter)
    slowest_s: float = 0.0
    slow: list[str] = field(default_factory=list)
    wrong: list[str] = field(default_factory=list)

    def time(self, what: str, work: Callable[[], str]) -> None:
        begun_s = time.perf_counter()
        outcome = work()
        took_s = time.perf_counter() - begun_s
        self.outcomes[f"{what}: {outcome}"] += 1
        self.slowest_s = max(self.slowest_s, took_s)
        if took_s > SLOW_S:
            self.slow.append(f"{what}: {took_s:.1f} s")


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("count", nargs="?", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    requested = parser.parse_args()
    rng, tally = random.Random(requested.seed), Tally()
    with tempfile.TemporaryDirectory(prefix="reditus-fuzz-") as name:
        folder = Path(name)
        folder.chmod(0o711)
        with service(Settings(data=folder / "data"), anywhere=True) as running:
            pid = running.children["server"].pid
            with httpx.Client(base_url=running.url, timeout=60, trust_env=False) as http:
                api = Api(http, rng)
                memory_mib = []
                kinds = (
                    api.batch, api.request, capture_in(folder, rng), logs(rng), files_in(folder, rng), otlp(rng),
                    syslog(rng), printed_in(folder, rng),
                )  # fmt: skip
                for number in range(requested.count):
                    kind = rng.choices(kinds, (5, 4, 1, 1, 3, 2, 1, 2))[0]
                    tally.time(*_named(kind, tally))
                    if number % max(requested.count // 40, 1) == 0:
                        memory_mib.append(_resident_mib(pid))
            ended = running.children["server"].ended
    rows = [(outcome, f"{count:,}") for outcome, count in sorted(tally.outcomes.items())]
    quarter = max(len(memory_mib) // 4, 1)
    early, late = (float(np.median(part)) for part in (memory_mib[quarter : 2 * quarter], memory_mib[-quarter:]))
    rows += [
        ("answers of 500 and more, unforeseen exceptions", str(len(tally.wrong))),
        ("over two seconds; the slowest", f"{len(tally.slow)}; {tally.slowest_s:.2f} s"),
        ("memory of the server: second quarter, last quarter", f"{early:.0f} MiB, {late:.0f} MiB"),
        ("the server", "runs" if ended is None else f"ended with {ended}"),
    ]
    show(f"{requested.count:,} inputs, seed {requested.seed}", rows)
    for line in [*tally.wrong[:20], *tally.slow[:20]]:
        print(line)


def _named(kind: Callable[[], tuple[str, str]], tally: Tally) -> tuple[str, Callable[[], str]]:
    name = getattr(kind, "__name__", "input")

    def work() -> str:
        try:
            outcome, detail = kind()
        except Exception as why:  # noqa: BLE001  that is what is looked for
            own = (frame for frame in traceback.extract_tb(why.__traceback__) if "site-packages" not in frame.filename)
            *_, last = own
            outcome, detail = "UNFORESEEN", f"{repr(why)[:300]} at {Path(last.filename).name}:{last.lineno}"
        if outcome.startswith(("5", "UNFORESEEN")):
            tally.wrong.append(f"{name}: {outcome} {detail}")
        return outcome

    return name, work


class Api:
    """A server's API, requested anything."""

    def __init__(self, http: httpx.Client, rng: random.Random) -> None:
        self._http, self._rng = http, rng
        self.archive, self._boot, self._tick = str(uuid4()), uuid4(), 0
        answer = {"host": {"id": str(uuid4()), "name": "fuzz"}, "name": "fuzz", "source": "recorded", "facts": {}}
        http.put(f"/api/archives/{self.archive}", json=answer).raise_for_status()
        path = f"/api/archives/{self.archive}/schemas/{SCHEMA.digest.hex()}"
        http.put(path, json=SCHEMA.as_json()).raise_for_status()
        contract = http.get("/api/openapi.json").json()
        self._operations = [
            (method.upper(), path)
            for path, methods in contract["paths"].items()
            for method in methods
            if "live" not in path
        ]

    def batch(self) -> tuple[str, str]:
        """A batch with something wrong in it, and now and then with nothing."""
        body = bytearray(self._block())
        for _ in range(self._rng.choice((0, 1, 1, 2, 8))):
            body[self._rng.randrange(len(body))] ^= self._rng.randrange(1, 256)
        if self._rng.random() < 0.1:
            body = body[: self._rng.randrange(len(body) + 1)]
        if len(body) > 8 and self._rng.random() < 0.7:  # past the first checksum
            body[-4:] = struct.pack("<I", zlib.crc32(bytes(body[:-4])))
        headers = {"Content-Type": "application/vnd.reditus.blocks"}
        found = self._http.post(f"/api/archives/{self.archive}/blocks", content=bytes(body), headers=headers)
        return str(found.status_code), found.text[:200]

    def _block(self) -> bytes:
        ticks = self._rng.choice((1, 3, 3, 3, 60))
        at_ns = (np.arange(ticks, dtype=np.int64) + self._tick) * NS_PER_S
        self._tick += ticks
        values = np.random.default_rng(self._tick).integers(0, 1 << 40, (ticks, len(SCHEMA.columns)))
        block = encode_block(
            Stretch(BEGIN_NS - 10**7 * NS_PER_S + at_ns, at_ns, values), archive=UUID(self.archive), boot=self._boot,
            schema=SCHEMA.digest, interval_ns=NS_PER_S,
        )  # fmt: skip
        return block.to_bytes()

    def request(self) -> tuple[str, str]:
        """Any operation with anything in its path, its query and its body."""
        method, path = self._rng.choice(self._operations)
        while "{" in path:
            name = path[path.index("{") + 1 : path.index("}")]
            own = self.archive if name.endswith("id") and self._rng.random() < 0.8 else self._text()
            path = path.replace(f"{{{name}}}", quote(_utf8(own), safe="") or "x")
        if method == "DELETE" and path.endswith(self.archive):
            return "left out", ""
        names = ("from", "to", "at", "measure", "width", "limit", "severity", "devices", "zzz")
        query = {name: _utf8(self._query(name)) for name in names if self._rng.random() < 0.4}
        body = b"" if method == "GET" else self._body()
        headers = {"Content-Type": "application/json"} if body else None
        try:
            found = self._http.request(method, path, params=query, content=body, headers=headers)
        except httpx.TransportError as why:
            return "UNFORESEEN", f"{method} {path[:120]} {len(body)} bytes: {why!r}"
        if found.status_code == 503 and "database" in found.text:
            return "503 away", found.text[:200]
        return str(found.status_code), f"{method} {path[:80]} {query} {body[:200]!r} {found.text[:300]}"

    def _query(self, name: str) -> str:
        if self._rng.random() < 0.3:
            return self._text()
        if name in ("from", "to", "at"):
            return (
                f"{self._rng.randrange(1989, 2202)}-0{self._rng.randrange(1, 10)}-1{self._rng.randrange(9)}T00:00:00Z"
            )
        if name == "measure":
            return self._rng.choice(("cpu.busy", "cpu.busy@*", "cpu.busy@0", "system.cpu.time", "process.cpu@1@2", "x"))
        return str(self._rng.choice((1, 2, 100, 10_000, 0, -1, 10**30)))

    def _text(self) -> str:
        return (
            self._rng.choice(ODD)
            if self._rng.random() < 0.6
            else "".join(
                chr(self._rng.randrange(1 << self._rng.choice((7, 8, 16)))) for _ in range(self._rng.randrange(12))
            )
        )

    def _body(self) -> bytes:
        if self._rng.random() < 0.1:
            return b"[" * self._rng.choice((1, 100, 50_000))
        if self._rng.random() < 0.1:
            return bytes(self._rng.randrange(256) for _ in range(self._rng.randrange(200)))
        return json.dumps(self._value(3)).encode()

    def _value(self, depth: int) -> object:
        kind = self._rng.randrange(6 if depth else 4)
        if kind == 0:
            return self._text()
        if kind == 1:
            return self._rng.choice(NUMBERS)
        if kind in (2, 3):
            return self._rng.choice((None, True, False, "2026-11-12T09:00:00Z", "1s", "note", "disk"))
        if kind == 4:
            return [self._value(depth - 1) for _ in range(self._rng.randrange(4))]
        keys = (
            "host",
            "id",
            "name",
            "source",
            "facts",
            "group",
            "part",
            "columns",
            "kind",
            "text",
            "at",
            "start",
            "end",
            "state",
            "report",
            "from",
            "to",
            "every",
            "plan",
            "device",
            "x",
        )
        return {self._rng.choice(keys): self._value(depth - 1) for _ in range(self._rng.randrange(7))}


STAT = (
    b"cpu  1 2 3 4 5 6 7 8 9 10\ncpu0 1 2 3 4 5 6 7 8 9 10\nctxt 5\nbtime 1794474000\nprocesses 9\n"
    b"procs_running 1\nprocs_blocked 0\n"
)


def capture_in(folder: Path, rng: random.Random) -> Callable[[], tuple[str, str]]:
    """A field capture with something wrong in it."""

    def capture() -> tuple[str, str]:
        text = b"# field capture 1 host=fuzz\n"
        for tick in range(rng.randrange(1, 6)):
            for path in ("/proc/stat", "/proc/meminfo", "/proc/diskstats", "/proc/net/dev"):
                body = STAT if path == "/proc/stat" else b"x: 1 kB\n" * rng.randrange(3)
                text += b"@ %d %s\n" % ((BEGIN_NS + tick * NS_PER_S), path.encode()) + body
        mangled = bytearray(text)
        for _ in range(rng.randrange(6)):
            at = rng.randrange(len(mangled))
            mangled[at : at + rng.randrange(3)] = rng.choice((b"", b"9" * 5_000, b"\0", b"@ ", b"\n", b"-", b"\xff"))
        packed = gzip.compress(bytes(mangled)) if rng.random() < 0.3 else bytes(mangled)
        file = folder / "capture"
        file.write_bytes(packed[: rng.randrange(len(packed))] if rng.random() < 0.2 else packed)
        try:
            found = read_capture(file)
            list(found.recording.blocks())
        except CaptureError:
            return "refused", ""
        return "read with remarks" if found.remarks else "read", ""

    return capture


def logs(rng: random.Random) -> Callable[[], tuple[str, str]]:
    """Lines of logs with something wrong in them."""
    syslog = b"<34>1 2026-11-12T09:00:00.003Z host app 123 ID47 - it said so\n"
    journal = (
        b"__REALTIME_TIMESTAMP=1794474000000000\nMESSAGE=it said so\nPRIORITY=3\n_PID=7\nSYSLOG_IDENTIFIER=app\n\n"
    )

    def log() -> tuple[str, str]:
        kind, line = rng.choice(((SYSLOG, syslog), (JOURNAL, journal)))
        mangled = bytearray(line * rng.randrange(1, 5))
        for _ in range(rng.randrange(6)):
            at = rng.randrange(len(mangled))
            mangled[at : at + rng.randrange(3)] = rng.choice((b"", b"9" * 5_000, b"\0", b"<", b"\n", b"=", b"\xff\xfe"))
        found = parse_lines(bytes(mangled), kind)
        return "lines with problems" if found.problems else "lines", ""

    return log


def _utf8(text: str) -> str:
    return text.encode("utf-8", "replace").decode()


def _resident_mib(pid: int) -> float:
    return int(Path(f"/proc/{pid}/statm").read_text().split()[1]) * 4 / 1024


if __name__ == "__main__":
    main()
