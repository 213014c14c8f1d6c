"""A finished investigation of the made-up host leafdb: what a good one looks like."""

from typing import Any
from uuid import UUID, uuid5

from reditus.simulator.fernhold import FERNHOLD

INVESTIGATION = uuid5(FERNHOLD, "investigation of leafdb")
Json = dict[str, Any]
NIGHT = {"start": "2026-11-13T02:00:00Z", "end": "2026-11-13T09:00:00Z"}
BOTH_DAYS = {"start": "2026-11-12T00:00:00Z", "end": "2026-11-14T00:00:00Z"}


def _id(name: str) -> str:
    return str(uuid5(INVESTIGATION, name))


def _view(archive: UUID, window: Json, more: str) -> str:
    return f"/archives/{archive}?from={window['start']}&to={window['end']}{more}"


def _strip(title: str, resource: str, unit: str, *lines: tuple[str, str], height: int = 100) -> Json:
    every = [
        {"names": [name], "label": label, "weight": 1 if place == 0 else 0.55, "dash": [] if place == 0 else [5, 3]}
        for place, (name, label) in enumerate(lines)
    ]
    return {"title": title, "resource": resource, "unit": unit, "lines": every, "height": height}


def exhibits(archive: UUID) -> list[tuple[str, Json]]:
    """Each exhibit's id, and what is pinned."""

    def pin(name: str, window: Json, view: str, **more: Any) -> tuple[str, Json]:
        return _id(name), {"archive": str(archive), **window, "view": _view(archive, window, view), **more}

    growth = {"start": "2026-11-12T06:00:00Z", "end": "2026-11-12T18:00:00Z"}
    last = {"start": "2026-11-13T08:20:00Z", "end": "2026-11-13T08:40:00Z"}
    free = {"start": "2026-11-12T00:00:00Z", "end": "2026-11-12T18:00:00Z"}
    return [
        pin("available", BOTH_DAYS, "&strips=memory.available", kind="strip",
            strip=_strip("Available memory", "memory", "bytes", ("memory.available", "available"))),
        pin("indexer", growth, "", kind="use", by="program", sort="memory", most=5),
        pin("swapping", NIGHT, "&strips=swap.in", kind="strip",
            strip=_strip("Swapped in and out", "swap", "bytes/s", ("swap.in", "in"), ("swap.out", "out"))),
        pin("stalls", NIGHT, "&strips=stall.memory.some", kind="strip",
            strip=_strip("Stalled for memory", "memory", "share", ("stall.memory.some", "some tasks"),
                         ("stall.memory.full", "all tasks"))),
        pin("disk", {"start": "2026-11-13T03:30:00Z", "end": "2026-11-13T08:30:00Z"}, "", kind="difference",
            measure="disk.write.wait", device=None, reference_start="2026-11-12T03:30:00Z",
            reference_end="2026-11-12T08:30:00Z"),
        pin("saturated", BOTH_DAYS, "&finding=disk.saturated@sdb", kind="finding",
            finding="disk.saturated/sdb/1794540875"),
        pin("load", BOTH_DAYS, "", kind="ruled-out", finding="load.blocked/machine/1794541220"),
        pin("free", free, "", kind="ruled-out", finding="memory.free_low/machine/1794441595"),
        pin("killed", last, "", kind="log", severity="warning"),
        pin("moment", {"start": "2026-11-13T08:00:00Z", "end": "2026-11-13T08:05:00Z"}, "&at=2026-11-13T08:02:00Z",
            kind="moment", at="2026-11-13T08:02:00Z",
            names=["memory.available", "swap.in", "swap.out", "cpu.busy", "cpu.waiting", "disk.queue@sdb",
                   "disk.read.wait@sdb", "stall.memory.some", "stall.memory.full"]),
    ]  # fmt: skip


def fields(archive: UUID) -> Json:
    """What the analyst wrote."""
    return {
        "question": "Why did the catalogue stop answering on Friday morning?",
        "noticed": "Readers, from 06:10 on; twelve clients gave up.",
        "window": {"start": "2026-11-13T05:30:00Z", "end": "2026-11-13T08:30:00Z", "archive": None},
        "pattern": "constant",
        "since": "Slower since the evening before.",
        "where": "leafdb only.",
        "hosts": [str(archive)],
        "unaffected": "stitch-01 and vault are as usual.",
        "usual": "Thursday, same hours: answers within a second.",
        "reference": {"start": "2026-11-12T05:30:00Z", "end": "2026-11-12T08:30:00Z", "archive": None},
        "changed": "Indexer restarted on Thursday at six. Was it updated?",
        "changed_at": "2026-11-12T06:00:00Z",
        "answer": "The indexer leaks memory, 104 kB a second since Thursday 06:00. On Friday at about 03:10 nothing "
        "was left, and the machine swapped until the kernel ended the indexer at 08:29.",
        "next": "Limit the indexer’s memory to 4 GiB in its service, so that it ends before it harms the catalogue. "
        "Report the leak to those who maintain it. Let the recorder watch available memory after the next restart.",
        "order": [name for name, _ in exhibits(archive)],
        "hypotheses": {
            _id("leak"): {
                "text": "A leak in the indexer ran the machine out of memory.", "state": "supported", "place": 1,
                "supporting": [_id(name) for name in ("available", "indexer", "swapping", "stalls", "killed")],
            },
            _id("failing"): {
                "text": "The disk sdb is failing.", "state": "excluded", "place": 2,
                "opposing": [_id("disk"), _id("saturated")],
            },
            _id("processor"): {
                "text": "The machine is too small: its load is over eight.", "state": "excluded", "place": 3,
                "opposing": [_id("load"), _id("moment")],
            },
        },
        "captions": {
            _id("available"): "Available memory falls from Thursday 06:00 in a straight line, and is used up at 03:10",
            _id("indexer"): "The indexer is what grew",
            _id("swapping"): "From 03:10 on the machine swaps all the time",
            _id("stalls"): "Tasks wait for memory nearly all the time",
            _id("disk"): "A write takes many times as long as on Thursday",
            _id("saturated"): "sdb is slow because it swaps: its bytes are swap",
            _id("load"): "The load is of tasks that wait; the cores are idle",
            _id("free"): "Little free memory before is no sign: it was cache",
            _id("killed"): "At 08:29 the kernel ends the indexer, and all is well again",
            _id("moment"): "The state at 08:02, in numbers",
        },
    }  # fmt: skip
