"""Options of a recorder: the command line over a settings file over defaults."""

from types import SimpleNamespace

import pytest

from reditus.cli.commands import recorder_arguments
from reditus.core.types import NS_PER_S
from reditus.recorder import options
from reditus.recorder.errors import OptionsError
from reditus.recorder.options import read_options

SERVER = ["--server", "http://127.0.0.1:8460"]


@pytest.fixture
def system_file(tmp_path, monkeypatch):
    """The settings of a recorder that runs as a service of this machine."""
    path = tmp_path / "recorder.toml"
    path.write_text('server = "http://127.0.0.1:9999"\nname = "service"\nplan = "thrifty"\nfor = "1s"\nlog = ["/a"]\n')
    monkeypatch.setattr(options, "SYSTEM_FILE", path)
    return path


def test_the_command_line_stands_above_the_file(system_file):
    found = read_options([*SERVER, "--every", "5s"])
    assert (found.server, found.every_ns) == (SERVER[1], 5 * NS_PER_S)
    assert (found.name, found.plan, found.for_ns) == ("service", "thrifty", NS_PER_S)


def test_a_file_that_is_named_stands_for_the_system_file(system_file, tmp_path):
    own = tmp_path / "own.toml"
    own.write_text('server = "http://127.0.0.1:1"\n')
    found = read_options(["--config", str(own)])
    assert (found.server, found.plan, found.for_ns) == ("http://127.0.0.1:1", None, None)


def test_recorders_of_commands_leave_the_system_file_alone(system_file, tmp_path):
    """`./reditus record` and `demo` run where a service may be configured too."""
    running = SimpleNamespace(url=SERVER[1], spool=tmp_path / "spool")
    found = read_options(recorder_arguments(running, name="trial", every="1s"))
    assert (found.name, found.plan, found.for_ns, found.logs) == ("trial", None, None, ())


@pytest.mark.parametrize(
    ("content", "message"),
    [
        ("server = 1", "server has to be a text"),
        ('server = "ftp://x"', "has to be an address"),
        ('colour = "red"', "'colour' is no option"),
        ("server =", "is not TOML"),
        ('name = "x"', "no server is named"),
    ],
)
def test_what_is_wrong_in_a_file_is_named(tmp_path, content, message):
    path = tmp_path / "recorder.toml"
    path.write_text(content)
    with pytest.raises(OptionsError, match=message):
        read_options(["--config", str(path)])
