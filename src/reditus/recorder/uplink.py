"""Send what is spooled, oldest first, until the server has acknowledged it. Sending again is harmless: the server
tells a block it has by its place in time.
"""

import json
import threading
from collections.abc import Iterator

import structlog

from reditus.core.batches import read_records
from reditus.core.blocks import Block
from reditus.core.errors import BlockError
from reditus.recorder.connection import Connection
from reditus.recorder.errors import Refused, ServerAway, ServerFault
from reditus.recorder.spool import NOT_TAKEN, REASON_LETTERS, Offer, Spool, SpooledBatch

log = structlog.get_logger()

RETRY_FIRST_S = 0.5
RETRY_MOST_S = 10.0
BLOCKS_TYPE = "application/vnd.reditus.blocks"
TOGETHER_BYTES = 1 << 20
"""Batches that piled up while the server was away go together up to this size: each commit costs it disk syncs."""
MOST_FAULTS = 5
"""Tries of one batch that the server answers with a fault of its own (500); with the waits between them some ten
seconds.
"""
LATER = (408, 425, 429)
"""Too slow, too early, too often: the same may be taken later."""
UNKNOWN = (404, 409)
"""The server does not know the archive (404) or a schema (409): tell it and send again."""


class Uplink:
    """Empties spools into one server from a thread of its own."""

    def __init__(self, server: str, spools: list[Spool]) -> None:
        self._connection = Connection(server)
        self._spools = spools
        self._wake = threading.Event()
        self._stopping = threading.Event()
        self._introduce_again = threading.Event()
        self._away = False
        self._faults: dict[SpooledBatch, int] = {}
        """How often the server has answered with a fault to a batch that was sent alone."""
        self._thread = threading.Thread(target=self._run, name="uplink", daemon=True)

    def start(self) -> None:
        """Start the thread that sends."""
        self._thread.start()

    def wake(self) -> None:
        """There is something new in a spool."""
        self._wake.set()

    def mark_unregistered(self) -> None:
        """What is known of the archive changed; it goes with the next batch."""
        self._introduce_again.set()

    def stop(self, drain_s: float) -> bool:
        """Send what is left for at most `drain_s` seconds; return whether everything was acknowledged."""
        self._stopping.set()
        self._wake.set()
        self._thread.join(drain_s)
        return all(spool.is_empty() for spool in self._spools)

    def _run(self) -> None:
        try:
            self._send_until_stopped()
        finally:
            self._connection.close()

    def _send_until_stopped(self) -> None:
        retry_s = RETRY_FIRST_S
        while True:
            try:
                for spool in self._spools:
                    self._empty(spool)
                retry_s = RETRY_FIRST_S
                if self._stopping.is_set():
                    # What was put while the others were being sent has to go too.
                    if all(spool.is_empty() for spool in self._spools):
                        return
                    continue
                self._wake.wait()
                self._wake.clear()
            except ServerAway as why:
                if not self._away:
                    log.warning("server away, spooling", reason=str(why))
                self._away = True
                if self._stopping.is_set():
                    return
                # Requested to stop while it waits, it tries once more, for the server may be back.
                self._stopping.wait(retry_s)
                retry_s = min(retry_s * 2, RETRY_MOST_S)

    def _empty(self, spool: Spool) -> None:
        for together in _bundles(spool.batches()):
            try:
                self._deliver(spool, together)
            except (Refused, ServerFault):
                # Which of them it was is found by sending each alone.
                for batch in together:
                    self._deliver_alone(spool, batch)
        for offer in spool.offers():
            self._deliver_offer(spool, offer)

    def _deliver_offer(self, spool: Spool, offer: Offer) -> None:
        """Deliver from memory what the disk does not take. What the server refuses cannot be laid aside then, and is a
        gap.
        """
        try:
            self._send(spool, offer.batch)
        except Refused as why:
            log.error("batch refused, and no disk to lay it aside", reason=str(why))
            spool.note_dropped(offer.batch, f"{NOT_TAKEN}: {str(why)[:REASON_LETTERS]}")
        offer.delivered = True
        spool.withdraw(offer)

    def _deliver_alone(self, spool: Spool, batch: SpooledBatch) -> None:
        """Deliver a batch, or lay it aside: at once where the server refuses it, after some tries where the server
        fails over it. Nothing behind it waits for ever.
        """
        try:
            self._deliver(spool, [batch])
        except Refused as why:
            self._refuse(spool, batch, why)
        except ServerFault as why:
            tries = self._faults.get(batch, 0) + 1
            self._faults[batch] = tries
            if tries < MOST_FAULTS and not self._stopping.is_set():
                raise
            if tries >= MOST_FAULTS:
                self._quarantine(spool, batch, why)

    def _refuse(self, spool: Spool, batch: SpooledBatch, why: Refused) -> None:
        """Deliver what the server takes of a batch that it refuses as a whole, and lay the rest aside."""
        content = _content(batch)
        try:
            records = [] if content is None else list(read_records(content))
        except BlockError:
            records = []
        if len(records) < 2:
            self._quarantine(spool, batch, why)
            return
        # In the order of time: what a wrong clock has seen lies together, and is found by halving.
        records.sort(key=lambda record: record.first_ns if isinstance(record, Block) else 0)
        refused = self._refused_of(spool, [record.to_bytes() for record in records])
        if not refused:
            spool.done(batch)
            return
        left, last = b"".join(part for part, _ in refused), refused[-1][1]
        self._quarantine(spool, spool.cut(batch, left), last)

    def _refused_of(self, spool: Spool, parts: list[bytes]) -> list[tuple[bytes, Refused]]:
        """Deliver what the server takes of some records; the others, each with the reason."""
        half = len(parts) // 2
        out: list[tuple[bytes, Refused]] = []
        for some in (parts[:half], parts[half:]):
            try:
                self._send(spool, b"".join(some))
            except Refused as why:
                out += [(some[0], why)] if len(some) == 1 else self._refused_of(spool, some)
        return out

    def _quarantine(self, spool: Spool, batch: SpooledBatch, why: Exception) -> None:
        log.error("batch laid aside", batch=batch.path.name, reason=str(why))
        self._faults.pop(batch, None)
        spool.refuse(batch, str(why))

    def _deliver(self, spool: Spool, batches: list[SpooledBatch]) -> None:
        contents = [content for batch in batches if (content := _content(batch)) is not None]
        if contents:
            self._send(spool, b"".join(contents))
        if self._away:
            log.info("server back")
            self._away = False
        for batch in batches:
            self._faults.pop(batch, None)
            spool.done(batch)

    def _send(self, spool: Spool, content: bytes) -> None:
        path = f"/api/archives/{spool.archive}/blocks"
        if self._introduce_again.is_set() and spool is self._spools[0]:
            self._register(spool)
            self._introduce_again.clear()
        status, answer = self._request("POST", path, content, BLOCKS_TYPE)
        if status in UNKNOWN:
            self._register(spool)
            status, answer = self._request("POST", path, content, BLOCKS_TYPE)
        _check(status, answer)

    def _register(self, spool: Spool) -> None:
        base = f"/api/archives/{spool.archive}"
        registration = spool.registration()
        if registration is None:
            raise Refused(f"{spool.folder} lost its archive.json, so its host is unknown")
        _check(*self._request("PUT", base, json.dumps(registration).encode(), "application/json"))
        for digest, schema in spool.schemas():
            _check(*self._request("PUT", f"{base}/schemas/{digest}", schema, "application/json"))

    def _request(self, method: str, path: str, body: bytes, content_type: str) -> tuple[int, str]:
        try:
            return self._connection.request(method, path, body, content_type)
        except ConnectionError as why:
            raise ServerAway(str(why)) from why


def _bundles(batches: list[SpooledBatch]) -> Iterator[list[SpooledBatch]]:
    """Batches that go in one request: a batch is a row of blocks, and so are several of them."""
    bundle: list[SpooledBatch] = []
    for batch in batches:
        if bundle and sum(item.size_bytes for item in bundle) + batch.size_bytes > TOGETHER_BYTES:
            yield bundle
            bundle = []
        bundle.append(batch)
    if bundle:
        yield bundle


def _content(batch: SpooledBatch) -> bytes | None:
    """None where it was dropped meanwhile, for lack of room."""
    try:
        return batch.path.read_bytes()
    except FileNotFoundError:
        return None


def _check(status: int, answer: str) -> None:
    if status == 500:
        raise ServerFault(f"status {status}: {_sentence(answer)}")
    if status > 500 or status in LATER:
        raise ServerAway(f"status {status}: {_sentence(answer)}")
    if status >= 400:
        raise Refused(f"status {status}: {_sentence(answer)}")


def _sentence(answer: str) -> str:
    try:
        return str(json.loads(answer)["detail"])
    except (ValueError, KeyError, TypeError):
        return answer[:300]
