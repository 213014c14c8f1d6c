"""Whatever anybody can call a process, a device or a file: a terminal shows it and does not obey it."""

import io

import pytest
from rich.table import Table

from reditus.cli import console as screen
from reditus.cli.console import SafeConsole
from reditus.cli.reports import show_archives
from reditus.core.log_lines import kernel_record
from reditus.recorder.__main__ import SafeText

HOSTILE = ["\x1b[2J", "\x1b]0;owned\x07", "\x9b31m", "\u202egnp.exe", "\x08\x08", "[bold]not markup[/bold]", "a\rb"]


@pytest.fixture
def console():
    return SafeConsole(file=io.StringIO(), width=200, highlight=False, force_terminal=True, color_system=None)


def is_safe(text):
    return all(letter.isprintable() or letter == "\n" for letter in text)


@pytest.mark.parametrize("name", HOSTILE)
def test_lines_and_tables_steer_nothing(console, name):
    console.print(f"host: {name}", markup=False)
    table = Table(title=name)
    table.add_column(name)
    table.add_row(name)
    console.print(table)
    shown = console.file.getvalue()
    assert is_safe(shown.replace("\x1b[3m", "").replace("\x1b[0m", "").replace("\x1b[1m", "")), shown


@pytest.mark.parametrize("name", HOSTILE)
def test_the_list_of_archives_shows_any_name(console, name):
    archive = {
        "id": "00000000-0000-4000-8000-0000000000aa",
        "host": {"id": "x", "name": name},
        "name": name,
        "source": "recorded",
        "start": None,
        "end": None,
        "interval_s": None,
        "ticks": 0,
        "columns": 0,
        "size_bytes": 0,
        "coverage": 0.0,
        "notes": name,
        "protected": False,
        "deleted": None,
        "facts": {},
        "damaged_blocks": 0,
        "trouble": None,
    }
    show_archives([archive], console)
    assert "\x1b]" not in console.file.getvalue()
    assert "\u202e" not in console.file.getvalue()


def test_plain_lines_and_logs_steer_nothing(capsys):
    for name in HOSTILE:
        screen.say(f"12:00 {name}")
    stream = io.StringIO()
    for name in HOSTILE:
        SafeText(stream).write(f"process={name}\n")
    shown = capsys.readouterr().out + stream.getvalue()
    assert is_safe(shown), shown
    assert shown.count("\n") == 2 * len(HOSTILE)


def test_what_the_kernel_escapes_is_cleaned_after_it_is_unescaped():
    """An unprivileged process can choose its name, and the kernel logs it."""
    record = rb"4,100,5000,-;oom: killed \x1b[31mevil\x9b\xe2\x80\xae (\xc3\xa4)"
    marker = kernel_record(record, boot="b", boot_wall_ns=0)
    assert marker is not None
    assert marker.text.isprintable()
    assert "evil" in marker.text
    assert "ä" in marker.text
