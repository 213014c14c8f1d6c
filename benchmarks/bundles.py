"""Bundles that were changed, by the ten thousand, and reports of many exhibits.

Run: .venv/bin/python -m benchmarks.bundles [COUNT] [--seed N]

Prints what became of the changed bundles (anything but a refusal with a sentence, or the very same exhibits, is wrong),
and how long a report of forty exhibits takes in proportion to pinning them.
"""

import argparse
import json
import random
import tempfile
import time
import zipfile
from collections import Counter
from collections.abc import Callable
from dataclasses import replace
from hashlib import sha256
from io import BytesIO
from pathlib import Path
from uuid import uuid4

from benchmarks.table import show
from reditus.cli.client import Client
from reditus.cli.service import service
from reditus.core.rfc3339 import spell_time
from reditus.exchange.bundle.manifest import BundleError
from reditus.exchange.bundle.reading import open_bundle
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.settings import Settings
from reditus.simulator.fernhold import STITCH_01_MORNING

EXHIBITS = 40
MINUTE_NS = 60 * 10**9
SHORT = replace(STITCH_01_MORNING, length_s=2_400)
ODD = (None, "", "x", -1, 0, 1 << 70, 1e308, [], {}, [[]], "../../x", "\u202e", True, ["a"] * 3_000)
Change = Callable[[bytes, random.Random], bytes]


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("count", nargs="?", type=int, default=10_000)
    parser.add_argument("--seed", type=int, default=1)
    requested = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="reditus-bundles-") as name:
        folder = Path(name)
        folder.chmod(0o711)
        with service(Settings(data=folder / "data"), anywhere=True) as running, Client(running.url) as client:
            client.load(SimulatedArchive(SHORT))
            rows = many_exhibits(client)
            bundle = small_bundle(client)
        show(f"A report of {EXHIBITS} exhibits", rows)
        show(
            f"{requested.count:,} changed bundles, seed {requested.seed}",
            changed(bundle, requested.count, random.Random(requested.seed), folder),
        )


def _pin(start: int, end: int, **more: object) -> dict[str, object]:
    begin_ns = SHORT.begin_ns
    window = {"start": spell_time(begin_ns + start * MINUTE_NS), "end": spell_time(begin_ns + end * MINUTE_NS)}
    return {"archive": str(SHORT.archive), **window, **more}


def _strip(name: str, title: str, resource: str, unit: str) -> dict[str, object]:
    return {"title": title, "resource": resource, "unit": unit, "lines": [{"names": [name]}]}


def many_exhibits(client: Client) -> list[tuple[str, str]]:
    case = str(uuid4())
    client.put_investigation(case, {"question": "How long does a long report take?"})
    measures = json.loads(client.fetch("GET", f"/api/archives/{SHORT.archive}/measures"))
    chosen = [item for item in measures if not item["devices"]][:EXHIBITS]
    begun_s = time.perf_counter()
    for item in chosen:
        strip = _strip(item["name"], item["title"], item["resource"], item["unit"])
        client.pin(case, str(uuid4()), _pin(1, 39, kind="strip", strip=strip))
    pinned_s = time.perf_counter() - begun_s
    rows = [("pinning", f"{len(chosen)} in {pinned_s:.1f} s")]
    for file in ("report.html", "report.pdf", "report.zip"):
        begun_s = time.perf_counter()
        data = client.fetch("GET", f"/api/investigations/{case}/{file}")
        took_s = time.perf_counter() - begun_s
        rows.append((file, f"{took_s:.2f} s, {took_s / pinned_s:.2f} of pinning, {len(data) >> 10:,} KiB"))
    return rows


def small_bundle(client: Client) -> bytes:
    case = str(uuid4())
    client.put_investigation(case, {"question": "What does a changed bundle do?"})
    client.pin(
        case, str(uuid4()), _pin(9, 10, kind="strip", strip=_strip("cpu.busy", "Cores busy", "processor", "cores"))
    )
    client.pin(case, str(uuid4()), _pin(9, 10, kind="use"))
    return client.fetch("POST", f"/api/investigations/{case}/bundle", json={})


def changed(bundle: bytes, count: int, rng: random.Random, folder: Path) -> list[tuple[str, str]]:
    path = folder / "bundle.zip"
    path.write_bytes(bundle)
    whole = {item.id: item.data for item in open_bundle(path).exhibits}
    outcomes: Counter[str] = Counter()
    slowest_s = 0.0
    for _ in range(count):
        change = rng.choice((bits, bits, cut, manifest, exhibit, parts, bomb))
        path.write_bytes(change(bundle, rng))
        begun_s = time.perf_counter()
        try:
            found = {item.id: item.data for item in open_bundle(path).exhibits}
            # Where the checksums were made again, what is valid is another exhibit: they find damage, not forgery.
            other = "opened to another valid exhibit" if change is exhibit else "OPENED TO SOMETHING ELSE"
            outcome = "opened to the same" if found == whole else other
        except BundleError as why:
            outcome = "refused" if len(str(why)) > 20 else f"REFUSED WITHOUT A SENTENCE {why}"
        except Exception as why:  # noqa: BLE001  that is what is looked for
            outcome = f"UNFORESEEN {why!r}"[:200]
        slowest_s = max(slowest_s, time.perf_counter() - begun_s)
        outcomes[f"{change.__name__}: {outcome}"] += 1
    left = sorted(item.name for item in folder.iterdir() if item.name not in ("bundle.zip", "data"))
    rows = [(outcome, f"{number:,}") for outcome, number in sorted(outcomes.items())]
    return [*rows, ("the slowest", f"{slowest_s:.2f} s"), ("left behind beside the file", ", ".join(left) or "nothing")]


def bits(bundle: bytes, rng: random.Random) -> bytes:
    """Some bits of it, anywhere."""
    out = bytearray(bundle)
    for _ in range(rng.choice((1, 1, 2, 8, 64))):
        out[rng.randrange(len(out))] ^= rng.randrange(1, 256)
    return bytes(out)


def cut(bundle: bytes, rng: random.Random) -> bytes:
    """A part of it."""
    return bundle[: rng.randrange(len(bundle))]


def _repacked(files: dict[str, bytes], method: int = zipfile.ZIP_DEFLATED) -> bytes:
    whole = BytesIO()
    with zipfile.ZipFile(whole, "w", method) as written:
        for name, data in files.items():
            written.writestr(name, data)
    return whole.getvalue()


def _files(bundle: bytes) -> dict[str, bytes]:
    with zipfile.ZipFile(BytesIO(bundle)) as read:
        return {name: read.read(name) for name in read.namelist()}


def _spoilt(value: object, rng: random.Random) -> object:
    """JSON with something absurd somewhere in it."""
    if isinstance(value, dict) and value and rng.random() < 0.9:
        key = rng.choice(list(value))
        return value | {key: _spoilt(value[key], rng)}
    if isinstance(value, list) and value and rng.random() < 0.9:
        at = rng.randrange(len(value))
        return [*value[:at], _spoilt(value[at], rng), *value[at + 1 :]]
    return rng.choice(ODD)


def _signed(files: dict[str, bytes]) -> dict[str, bytes]:
    """With checksums that are right: what is wrong has to be found in what it says."""
    given = json.loads(files["manifest.json"])
    for entry in given["parts"]:
        data = files.get(entry["name"], b"")
        entry["bytes"], entry["sha256"] = len(data), sha256(data).hexdigest()
    return files | {"manifest.json": json.dumps(given).encode()}


def manifest(bundle: bytes, rng: random.Random) -> bytes:
    """Something absurd in the manifest."""
    files = _files(bundle)
    spoilt = _spoilt(json.loads(files["manifest.json"]), rng)
    return _repacked(files | {"manifest.json": json.dumps(spoilt).encode()})


def exhibit(bundle: bytes, rng: random.Random) -> bytes:
    """Something absurd in an exhibit, under the right checksum."""
    files = _files(bundle)
    name = rng.choice([name for name in files if name.startswith("exhibits/") and name.endswith(".json")])
    spoilt = _spoilt(json.loads(files[name]), rng)
    return _repacked(_signed(files | {name: json.dumps(spoilt, separators=(",", ":")).encode()}))


def parts(bundle: bytes, rng: random.Random) -> bytes:
    """Parts that are not there, twice there, or lead out of it."""
    files = _files(bundle)
    name = rng.choice(list(files))  # the manifest too
    match rng.randrange(3):
        case 0:
            del files[name]
        case 1:
            files[rng.choice(("../../etc/passwd", "/etc/passwd", "a\\b", "C:x", "x" * 300, "exhibits/../x"))] = b"x"
        case _:
            files[name] = rng.randbytes(rng.randrange(200))
            return _repacked(files if name == "manifest.json" else _signed(files))
    return _repacked(files)


def bomb(bundle: bytes, rng: random.Random) -> bytes:
    """A part that unpacks to much more than it is."""
    files = _files(bundle)
    return _repacked(files | {rng.choice(list(files)): bytes(4 << 20)})


if __name__ == "__main__":
    main()
