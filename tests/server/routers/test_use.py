"""Who used what over a window, through the API."""

import pytest

from api_helpers import BLOCKS, introduce
from builders import ARCHIVE, BEGIN_NS, BOOT, PROCESS_COLUMNS, process_values
from reditus.core.identities import Identity
from reditus.core.processes import GROUP
from reditus.core.types import NS_PER_S
from reditus.recorder.batcher import CLOCK_STEP_NS, Batcher
from reditus.recorder.sampler import Reading

OF_A_SECOND = 20 * CLOCK_STEP_NS / NS_PER_S
PATH = f"/api/archives/{ARCHIVE}"
WHOLE = {"from": "2026-11-12T09:00:00Z", "to": "2026-11-12T09:00:21Z"}


@pytest.fixture
def worked(client):
    """Twenty seconds of one process at three quarters of a core, and as much again of processes outside the slots."""
    batcher = Batcher(ARCHIVE, BOOT, NS_PER_S)
    for second in range(21):
        at_ns = BEGIN_NS + second * NS_PER_S
        batcher.add([Reading(GROUP, at_ns, at_ns, PROCESS_COLUMNS, process_values(cores=0.75, pid=31))])
    batcher.report([Identity(31, 777, "stitch", "lab", "/system.slice/lab.service", 1, "stitch --plate 7")])
    batch = batcher.take()
    introduce(client, *batcher.schemas.values())
    assert client.post(BLOCKS, content=batch).status_code == 200
    return client


def use(client, **more):
    response = client.get(f"{PATH}/use", params={**WHOLE, **more})
    assert response.status_code == 200, response.text
    return response.json()


def test_rows_and_what_is_not_attributed_add_up(worked):
    found = use(worked)
    (row,) = found["rows"]
    assert (row["name"], row["user"], row["pid"], row["core"]) == ("stitch", "lab", 31, 1)
    assert row["arguments"] == "stitch --plate 7"
    assert row["amounts"]["processor_s"] == pytest.approx(15)
    assert row["amounts"]["cores"] == pytest.approx(0.75, rel=OF_A_SECOND)
    assert row["share"] == pytest.approx(0.5)
    assert found["not_attributed"]["processor_s"] == pytest.approx(15)
    assert found["total"]["processor_s"] == pytest.approx(30)
    assert found["recorded_s"] == pytest.approx(20, rel=OF_A_SECOND)
    assert len(row["curve"]) == len(found["not_attributed_curve"]) > 2


@pytest.mark.parametrize(
    ("by", "name"),
    [("program", "stitch"), ("user", "lab"), ("group", "/system.slice/lab.service"), ("service", "lab.service")],
)
def test_processes_are_put_together(worked, by, name):
    (row,) = use(worked, by=by)["rows"]
    assert row["name"] == name


@pytest.mark.parametrize(("match", "found"), [("STIT", 1), ("plate", 1), ("31", 1), ("lab.serv", 1), ("nobody", 0)])
def test_a_search_finds_by_name_user_group_number_and_command_line(worked, match, found):
    answer = use(worked, match=match)
    assert len(answer["rows"]) == found
    assert answer["not_attributed"]["processor_s"] == pytest.approx(15)  # what is not listed is attributed all the same


def test_a_strip_of_one_user_and_one_of_all(worked):
    names = ["use.processor{by=user}@*", "use.processor{by=user,of=lab}", "use.processor{by=user,of=no%20one}"]
    response = worked.get(f"{PATH}/series", params={**WHOLE, "measure": names, "width": 5})
    assert response.status_code == 200, response.text
    means = {(line["measure"], line["device"]): line["summary"]["mean"] for line in response.json()["series"]}
    assert means == {
        ("use.processor{by=user}", None): pytest.approx(1.5, rel=OF_A_SECOND),
        ("use.processor{by=user}", "lab"): pytest.approx(0.75, rel=OF_A_SECOND),
        ("use.processor{by=user}", "not attributed"): pytest.approx(0.75, rel=OF_A_SECOND),
        ("use.processor{by=user,of=lab}", None): pytest.approx(0.75, rel=OF_A_SECOND),
        ("use.processor{by=user,of=no%20one}", None): 0,
    }


def test_what_makes_no_sense_is_refused_with_what_would(worked):
    refused = worked.get(f"{PATH}/series", params={"measure": "use.proccessor{by=user}"})
    assert refused.status_code in (404, 422)
    assert "use.processor{by=program}" in refused.json()["detail"]
    assert worked.get(f"{PATH}/use", params={"by": "colour"}).status_code == 422
    assert worked.get(f"{PATH}/use", params={"sort": "heat"}).status_code == 422


def test_an_archive_without_processes_says_so(client):
    introduce(client)
    found = use(client)
    assert (found["recorded"], found["rows"]) == (False, [])


def test_who_ran_on_which_core(worked):
    found = worked.get(f"{PATH}/placement", params={**WHOLE, "width": 4}).json()
    assert found == {"recorded": False, "of_threads": False, "tasks": [], "cores": []}  # no core was recorded by itself


def test_who_ran_on_which_core_of_a_whole_machine(shift, client):
    found = client.get(f"/api/archives/{shift[1]}/placement", params={"width": 50}).json()
    assert [core["core"] for core in found["cores"]] == ["0", "1"]
    runs = [run for core in found["cores"] for run in core["runs"]]
    assert runs
    assert all(0 < run["share"] <= 1 and run["start"] < run["end"] for run in runs)
    assert {found["tasks"][run["task"]]["name"] for run in runs} <= {task["name"] for task in found["tasks"]}
