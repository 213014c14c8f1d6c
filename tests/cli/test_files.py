"""`export` and `import` on the command line: whole archives, measures, and anybody's tables."""

import json
import os
import subprocess
import sys

import pytest

from cases import SHORT
from databases import new_database
from reditus.cli.client import Client
from reditus.cli.service import service
from reditus.core.rfc3339 import parse_time, spell_time
from reditus.core.types import NS_PER_S
from reditus.exchange.simulated import SimulatedArchive
from reditus.server.settings import Settings

BEGIN_NS = parse_time("2026-11-13T01:00:00Z")


@pytest.fixture(scope="module")
def places(cluster, tmp_path_factory):
    """Two servers: one with an archive, an empty one."""
    made = [Settings(data=tmp_path_factory.mktemp(name), database_url=new_database(cluster)) for name in ("one", "two")]
    with service(made[0], anywhere=True) as first, service(made[1], anywhere=True), Client(first.url) as client:
        client.load(SimulatedArchive(SHORT))
        yield made


@pytest.fixture
def command(places):
    def run(at, *words, code=0):
        env = {**os.environ, "REDITUS_DATA": str(places[at].data), "REDITUS_DATABASE_URL": places[at].database_url}
        line = [sys.executable, "-m", "reditus.cli", *words]
        done = subprocess.run(line, env=env, capture_output=True, text=True, timeout=120, check=False)
        assert done.returncode == code, done.stdout + done.stderr
        return done

    return run


def test_an_archive_goes_from_one_server_to_another(command, tmp_path):
    for ending in (".archive.zip", ".parquet.zip"):
        file = tmp_path / f"morning{ending}"
        command(0, "export", str(SHORT.archive), str(file))
        done = command(1, "import", str(file))
        assert "of stitch-01 imported:" in done.stdout
    assert "ticks were there already" in done.stderr
    one, two = (json.loads(command(at, "diagnose", str(SHORT.archive), "--json").stdout) for at in (0, 1))
    assert [item["title"] for item in one["findings"]] == [item["title"] for item in two["findings"]]
    assert one["findings"]


def test_measures_go_out_and_come_in_as_a_table(command, tmp_path):
    file = tmp_path / "busy.csv"
    command(0, "export", str(SHORT.archive), str(file), "cpu.busy", "disk.queue@*")
    done = command(1, "import", str(file), "--host", "elsewhere", "--name", "the same as a table")
    assert "the same as a table of elsewhere imported: 2,100 ticks." in done.stdout


def test_a_mapping_is_looked_at_corrected_and_used(command, tmp_path):
    file = tmp_path / "shop.txt"
    rows = [f"{spell_time(BEGIN_NS + row * NS_PER_S)};{row * 3}" for row in range(50)]
    file.write_text("\n".join(["when;Orders", *rows]))
    seen = command(1, "import", str(file), "--look")
    assert "Orders: never fall in the sample" in seen.stderr
    mapping = json.loads(seen.stdout)
    mapping["columns"][0]["counter"] = "orders taken"
    (tmp_path / "shop.json").write_text(json.dumps(mapping))
    assert (
        "of shop imported: 50 ticks" in command(1, "import", str(file), "--mapping", str(tmp_path / "shop.json")).stdout
    )
    listed = command(1, "export", "shop.txt", str(tmp_path / "back.csv"), "other.orders%20taken")
    assert "back.csv" in listed.stdout.replace("\n", "")
    assert (tmp_path / "back.csv").read_text().splitlines()[0] == "time,other.orders%20taken"


def test_printed_text_is_looked_at_though_it_lacks_its_day(command, tmp_path):
    file = tmp_path / "press.txt"
    lines = [f"00:00:0{second}  {press}  {second + 4}" for second in range(5) for press in ("left", "right")]
    file.write_text("\n".join(["when  press  parcels", *lines]))
    seen = command(1, "import", str(file), "--look")
    assert "parcels of left: 4, 5, 6, 7" in seen.stderr
    assert "on which day it begins" in seen.stderr
    layout = json.loads(seen.stdout) | {"date": "2026-11-13", "names": {"parcels": {"counter": "parcels sorted"}}}
    (tmp_path / "press.json").write_text(json.dumps(layout))
    words = ("import", str(file), "--layout", str(tmp_path / "press.json"))
    assert "of press imported: 5 ticks" in command(1, *words).stdout
    looked = command(1, *words, "--look")
    assert "parcels of left: 4, 5, 6, 7 (parcels sorted)" in looked.stderr


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("import", "{tmp}/none.csv"), "cannot be read: No such file"),
        (("import", "{tmp}/junk.bin"), "begins with 00 01 02"),
        (("import", "{tmp}/plain.parquet"), "is called like Parquet"),
        (("import", "{tmp}/plain.csv", "--mapping", "{tmp}/junk.bin"), "is no JSON"),
        (("export", "{archive}", "{tmp}/x.doc", "cpu.busy"), "the name has to end in one of"),
        (("export", "{archive}", "{tmp}/x.csv"), "which measures?"),
        (("export", "{archive}", "{tmp}/x.archive.zip", "cpu.busy"), "leave the measures out"),
    ],
)
def test_what_is_wrong_is_said(command, tmp_path, words, said):
    (tmp_path / "junk.bin").write_bytes(bytes(range(9)))
    for name in ("plain.csv", "plain.parquet"):
        (tmp_path / name).write_text("when,x\n2026-11-13 01:00:00,1\n2026-11-13 01:00:01,2\n")
    done = command(0, *(word.format(tmp=tmp_path, archive=SHORT.archive) for word in words), code=2)
    assert said in done.stderr.replace("\n", " ")
