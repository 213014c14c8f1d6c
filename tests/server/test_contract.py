"""The front end's types are made from the API's contract; neither may drift from the other."""

import os
import subprocess
from pathlib import Path

import pytest

from reditus.core.diagnosis.pages import diagnoses_page
from reditus.core.measures.pages import measures_page
from reditus.core.rfc3339 import TimeError, parse_time, spell_time
from reditus.core.types import NS_PER_S
from reditus.exchange.formats import formats_page
from reditus.server.openapi import contract
from reditus.server.settings import Settings

ROOT = Path(__file__).resolve().parents[2]
WEB = ROOT / "web"


def test_the_committed_contract_is_the_servers():
    assert (WEB / "openapi.json").read_text() == contract(), "run: scripts/contract"


def test_the_front_ends_types_are_the_contracts(tmp_path):
    made = tmp_path / "schema.d.ts"
    path = f"{ROOT / '.venv' / 'bin'}:{os.environ['PATH']}"
    command = ["node_modules/.bin/openapi-typescript", "openapi.json", "--output", str(made)]
    subprocess.run(command, cwd=WEB, check=True, env={**os.environ, "PATH": path}, capture_output=True)
    assert made.read_text() == (WEB / "src" / "api" / "schema.d.ts").read_text(), "run: scripts/contract"


def test_every_setting_is_explained_and_documented():
    page = (ROOT / "docs" / "settings.md").read_text()
    for name, field in Settings.model_fields.items():
        assert field.description, name
        assert f"`REDITUS_{name.upper()}`" in page, name
        assert field.description in page, name


def test_pages_written_from_the_code_are_up_to_date():
    assert (ROOT / "docs" / "measures.md").read_text() == measures_page(), "run: scripts/pages"
    assert (ROOT / "docs" / "diagnoses.md").read_text() == diagnoses_page(), "run: scripts/pages"
    assert (ROOT / "docs" / "formats.md").read_text() == formats_page(), "run: scripts/pages"


@pytest.mark.parametrize("text", ["2026-11-12T09:00:00.123456Z", "2026-11-12T09:00:00Z", "2026-11-12T09:00:00.5Z"])
def test_times_survive_the_edge(text):
    assert spell_time(parse_time(text)) == text


def test_times_with_an_offset_and_to_the_nanosecond():
    assert parse_time("2026-11-12T10:00:00+01:00") == 1_794_474_000 * NS_PER_S
    assert parse_time("2026-11-12T09:00:00.123456789Z") % NS_PER_S == 123_456_789


@pytest.mark.parametrize("text", ["", "now", "12:00", "2026-13-01T00:00:00Z", "2026-11-12", "9999-01-01T00:00:00Z"])
def test_what_is_no_time_is_refused(text):
    with pytest.raises(TimeError):
        parse_time(text)
