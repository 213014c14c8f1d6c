"""`./reditus demo`, as a newcomer starts it: everything comes up, Ctrl-C ends everything, the second start is quick."""

import json
import os
import re
import signal
import subprocess
import sys
from pathlib import Path

import httpx

from e2e_helpers import wait_until

TIMEOUT_S = 120


def start(data: Path) -> tuple[subprocess.Popen[str], str, str]:
    said = data.with_suffix(".said")
    with said.open("a") as stderr:
        demo = subprocess.Popen(
            [sys.executable, "-m", "reditus.cli", "demo"],
            env={**os.environ, "REDITUS_DATA": str(data), "REDITUS_PORT": "0"},
            stdout=subprocess.PIPE,
            stderr=stderr,
            text=True,
        )
    assert demo.stdout
    for line in demo.stdout:
        found = re.search(r"(http://127\.0\.0\.1:\d+)(\S*)", line)
        if found:
            return demo, found[1], found[2]
    demo.stdout.close()
    raise AssertionError(f"the demo ended with {demo.wait(TIMEOUT_S)}, without an address:\n{said.read_text()}")


def processes_with(text: str) -> list[str]:
    found = []
    for entry in Path("/proc").iterdir():
        try:
            words = (entry / "cmdline").read_bytes().replace(b"\0", b" ").decode()
        except (OSError, UnicodeDecodeError):
            continue
        if entry.name.isdigit() and text in words:
            found.append(words)
    return found


def names(url: str) -> dict[str, int]:
    """Ticks by host and archive."""
    entries = httpx.get(f"{url}/api/archives", trust_env=False, timeout=30).json()
    return {
        "live" if entry["source"] == "recorded" else f"{entry['host']['name']} {entry['interval_s'] or 0:g}": entry[
            "ticks"
        ]
        for entry in entries
    }


LAB = {
    "stitch-01 5": 34_561, "stitch-01 1": 172_801, "leafdb 5": 34_561, "vault 5": 34_561, "scan-gate 5": 34_561,
    "reading-room 5": 34_524, "vault 300": 6_048,
}  # fmt: skip


def lab(url: str) -> dict[str, int]:
    return {name: ticks for name, ticks in names(url).items() if name != "live"}


def test_demo_starts_everything_and_ends_everything(tmp_path):
    tmp_path.chmod(0o755)
    for above in list(tmp_path.parents)[:3]:
        if "pytest" in above.name:
            above.chmod(0o755)
    data = tmp_path / "data"
    demo, url, place = start(data)
    try:
        # The address is said once the story can be read; the rest of the lab follows.
        assert names(url)["stitch-01 5"] == LAB["stitch-01 5"]
        wait_until(lambda: lab(url) == LAB, 300)
        wait_until(lambda: names(url).get("live", 0) >= 3)
        [finished] = httpx.get(f"{url}/api/investigations", trust_env=False, timeout=30).json()
        assert (finished["exhibits"], finished["fields"]["answer"][:18]) == (10, "The indexer leaks ")
        # It opens where the story begins.
        assert re.search(r"/archives/[0-9a-f-]{36}\?from=2026-11-12T09:00:00Z&to=2026-11-12T10:00:00Z$", place)
        archive = httpx.get(f"{url}/api{place.partition('?')[0]}", trust_env=False).json()
        assert (archive["host"]["name"], archive["interval_s"]) == ("stitch-01", 5)
        assert json.loads((data / "service.json").read_text())["url"] == url
        assert processes_with(str(data))
    finally:
        demo.send_signal(signal.SIGINT)
        assert demo.wait(TIMEOUT_S) == 0
        demo.stdout.close()
    assert not processes_with(str(data))

    # The second start goes on with the same archives.
    demo, url, _ = start(data)
    try:
        wait_until(lambda: names(url)["live"] >= 6)
        assert lab(url) == LAB
    finally:
        # Even a parent that is killed takes its server and recorder with it.
        demo.kill()
        demo.wait(TIMEOUT_S)
        demo.stdout.close()
    wait_until(lambda: not [words for words in processes_with(str(data)) if "reditus." in words])
    # The database is left over; the next start takes it in, and stops it in the end.
    demo, _, _ = start(data)
    demo.send_signal(signal.SIGINT)
    assert demo.wait(TIMEOUT_S) == 0
    demo.stdout.close()
    assert not processes_with(str(data))
