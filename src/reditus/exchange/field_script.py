"""The field script: a POSIX shell script that writes a field capture where nothing may be installed."""

from importlib.resources import files

from reditus.recorder.sources import SOURCES
from reditus.recorder.sources.source import SLOW_S

MOST_LOOKED_AT = 2_000
"""Processes that the script looks at for the heaviest; looking takes some 50 µs each."""


def field_script() -> str:
    """The script, with the recorder's own list of files in it."""
    template = files("reditus.exchange").joinpath("field_script.sh").read_text(encoding="utf-8")
    often = [pattern for source in SOURCES if not source.pace_s for pattern in source.patterns]
    rarely = [pattern for source in SOURCES if source.pace_s for pattern in source.patterns]
    for place, patterns in (("@PATHS@", often), ("@RARELY@", rarely)):
        template = template.replace(place, " \\\n    ".join(patterns))
    return template.replace("@EVERY@", str(SLOW_S)).replace("@MOST@", str(MOST_LOOKED_AT))
