"""Intake: what a durable append costs beside the disk's own syncs, and hundreds of hosts at once through the server.

Run: .venv/bin/python -m benchmarks.intake [SECONDS, default 60] [HOSTS, default 500]
"""

import http.client
import json
import os
import resource
import sys
import tempfile
import threading
import time
from dataclasses import dataclass, field, replace
from pathlib import Path
from statistics import median
from urllib.parse import urlsplit
from uuid import UUID, uuid4

import numpy as np
from sqlalchemy import create_engine, text

from benchmarks.load import cpu_s
from benchmarks.table import show
from reditus.cli.service import Service, service
from reditus.core.batches import Batch
from reditus.core.blocks import Block, Described, Stretch, encode_batch
from reditus.core.facts import HostFacts
from reditus.core.kernel_columns import CPU_MODES, cpu_time
from reditus.core.schema import Schema
from reditus.core.types import NS_PER_S
from reditus.server.settings import Settings
from reditus.store import HostInfo
from reditus.store.store import Store

COUNTERS = 400
GROUPS = 8
"""Blocks in a recorder's batch."""
TICKS_A_BATCH = 3
SENDERS = 32
BLOCKS = "application/vnd.reditus.blocks"
TOGETHER = 100


def main() -> None:
    seconds = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    hosts = int(sys.argv[2]) if len(sys.argv) > 2 else 500
    with tempfile.TemporaryDirectory(prefix="reditus-bench-") as data:
        os.chmod(data, 0o711)
        with service(Settings(data=Path(data)), anywhere=True) as running:
            appends(running, Path(data))
            crowd(running, hosts, seconds)


def schemas() -> list[Schema]:
    """As many counters as requested, in groups, as a recorder has them."""
    entries = [cpu_time(mode, str(core)) for core in range(COUNTERS) for mode in CPU_MODES][:COUNTERS]
    size = COUNTERS // GROUPS
    return [Schema(f"group {at}", 0, tuple(entries[at * size : (at + 1) * size])) for at in range(GROUPS)]


@dataclass
class Host:
    """A host that grows."""

    at: int
    id: UUID = field(default_factory=uuid4)
    archive: UUID = field(default_factory=uuid4)
    boot: UUID = field(default_factory=uuid4)
    ticks: int = 0

    def batch(self, made: list[Block]) -> list[Block]:
        """Blocks as made for all, as this host's own."""
        self.ticks += made[0].ticks
        return [replace(block, archive=self.archive, boot=self.boot) for block in made]


def made(described: list[Schema], first: int, count: int, begin_ns: int) -> list[Block]:
    """Ticks from `first` on; a third of the counters moves from tick to tick, as on a real machine."""
    at_ns = (np.arange(count, dtype=np.int64) + first) * NS_PER_S
    rng = np.random.default_rng(first)
    parts = []
    for schema in described:
        width = len(schema.columns)
        steps = rng.integers(0, 200, (count, width)) * (np.arange(width) % 3 == 0)
        values = np.cumsum(steps, axis=0) + first * 100
        parts.append(Described(Stretch(begin_ns + at_ns, at_ns, values), schema.digest, NS_PER_S))
    return encode_batch(parts, archive=UUID(int=0), boot=UUID(int=0))


def appends(running: Service, data: Path) -> None:
    assert running.cluster
    store = Store(running.cluster.url)
    one_group = [Schema("all", 0, tuple(column for schema in schemas() for column in schema.columns))]
    hosts = [Host(at) for at in range(TOGETHER)]
    for host in hosts:
        store.archives.register(
            host=HostInfo(host.id, "x"), archive=host.archive, name="x", source="recorded", facts=HostFacts()
        )
        store.add_schema(host.archive, one_group[0])
    begin_ns = time.time_ns() - 3_600 * NS_PER_S
    single, combined, syncs = [], [], []
    with (data / "sync").open("wb") as file:
        for turn in range(60):
            file.write(bytes(8_192))
            file.flush()
            syncs.append(_ms(lambda: os.fdatasync(file.fileno())))
            block = hosts[0].batch(made(one_group, turn, 1, begin_ns))
            single.append(_ms(lambda block=block: store.append(hosts[0].archive, block)))
    for turn in range(100, 120):
        blocks = made(one_group, turn, 1, begin_ns)
        batches = [(host.archive, Batch(host.batch(blocks), [], [])) for host in hosts]
        combined.append(
            _ms(lambda batches=batches: [item.result() for item in [store.submit(*answer) for answer in batches]])
        )
    store.close()
    show(
        "Durable appends, medians",
        [
            ("a disk sync (fdatasync of 8 KiB)", f"{median(syncs):.2f} ms"),
            (f"a tick of {COUNTERS} counters, one host", f"{median(single):.2f} ms"),
            (f"a tick of {TOGETHER} hosts in one go", f"{median(combined):.2f} ms"),
            ("  of it a host", f"{median(combined) / TOGETHER:.3f} ms"),
        ],
    )


def _ms(work: object) -> float:
    begun = time.perf_counter()
    work()  # type: ignore[operator]
    return (time.perf_counter() - begun) * 1000


def crowd(running: Service, count: int, seconds: int) -> None:
    """Each host sends what a recorder would, on its own schedule; then everything acknowledged is counted
    in the store.
    """
    described = schemas()
    hosts = [Host(at) for at in range(count)]
    url = urlsplit(running.url)
    waits: list[float] = []
    late: list[float] = []
    failed: list[str] = []
    _register(url.port or 0, hosts, described)
    server = running.children["server"].pid
    before_s = cpu_s(server)
    begun, begin_ns = time.monotonic() + 1, time.time_ns()
    shares = [hosts[at::SENDERS] for at in range(SENDERS)]
    threads = [
        threading.Thread(
            target=_send, args=(url.port, share, described, begun, begin_ns, seconds, (waits, late, failed))
        )
        for share in shares
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    own_s = sum(resource.getrusage(resource.RUSAGE_SELF)[:2])
    server_s = cpu_s(server) - before_s
    assert running.cluster
    with create_engine(running.cluster.url).connect() as connection:
        requested = text("select coalesce(sum(ticks), 0) from blocks where archive_id = any(:archives)")
        stored = connection.execute(requested, {"archives": [host.archive for host in hosts]}).scalar_one()
    acknowledged = sum(host.ticks for host in hosts) * GROUPS
    show(
        f"{count} hosts, {COUNTERS} counters each at 1 Hz, {seconds} s",
        [
            ("readings acknowledged", f"{acknowledged:,}"),
            ("readings stored", f"{stored:,}"),
            ("samples", f"{acknowledged * COUNTERS // GROUPS:,}"),
            ("batches that failed", f"{len(failed)}{': ' + failed[0] if failed else ''}"),
            ("from request to acknowledgement", f"median {median(waits):.0f} ms, most {max(waits):.0f} ms"),
            ("senders behind their schedule", f"median {median(late):.1f} s, most {max(late):.1f} s"),
            (
                "processor of the server, and of the senders",
                f"{server_s / seconds:.0%}, {own_s / seconds:.0%} of a core",
            ),
        ],
    )


def _register(port: int, hosts: list[Host], described: list[Schema]) -> None:
    connection = http.client.HTTPConnection("127.0.0.1", port)
    for host in hosts:
        answer = {
            "host": {"id": str(host.id), "name": f"h{host.at}"},
            "name": "crowd",
            "source": "recorded",
            "facts": {},
        }
        _request(connection, "PUT", f"/api/archives/{host.archive}", json.dumps(answer).encode(), "application/json")
        for schema in described:
            path = f"/api/archives/{host.archive}/schemas/{schema.digest.hex()}"
            _request(connection, "PUT", path, schema.canonical, "application/json")
    connection.close()


def _send(
    port: int, hosts: list[Host], described: list[Schema], begun: float, begin_ns: int, seconds: int,
    seen: tuple[list[float], list[float], list[str]],
) -> None:  # fmt: skip
    waits, late, failed = seen
    connection = http.client.HTTPConnection("127.0.0.1", port)
    for turn in range(0, seconds, TICKS_A_BATCH):
        blocks = made(described, turn, TICKS_A_BATCH, begin_ns)
        for at, host in enumerate(hosts):
            # Hosts are not in step with each other.
            due = begun + turn + TICKS_A_BATCH * at / len(hosts)
            time.sleep(max(due - time.monotonic(), 0))
            late.append(time.monotonic() - due)
            body = b"".join(block.to_bytes() for block in host.batch(blocks))
            requested = time.monotonic()
            status = _request(connection, "POST", f"/api/archives/{host.archive}/blocks", body, BLOCKS)
            waits.append((time.monotonic() - requested) * 1000)
            if status != 200:
                failed.append(str(status))
                host.ticks -= TICKS_A_BATCH
    connection.close()


def _request(connection: http.client.HTTPConnection, method: str, path: str, body: bytes, kind: str) -> int:
    connection.request(method, path, body, {"Content-Type": kind})
    response = connection.getresponse()
    response.read()
    return response.status


if __name__ == "__main__":
    main()
