"""The field script: a POSIX shell script that writes a field capture where nothing may be installed."""

from importlib.resources import files

from reditus.recorder.sources import SOURCES


def field_script() -> str:
    """The script, with the recorder's own list of files in it."""
    template = files("reditus.exchange").joinpath("field_script.sh").read_text(encoding="utf-8")
    return template.replace("@PATHS@", " \\\n    ".join(source.path for source in SOURCES))
