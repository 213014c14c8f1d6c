"""`python -m reditus.recorder`: record this machine until stopped. The command line calls this process."""

import gc
import io
import logging
import os
import signal
import sys
from pathlib import Path
from typing import TextIO, cast

import structlog

from reditus.core.outside import terminal_text
from reditus.core.types import Json
from reditus.recorder.control_channel import ControlClient
from reditus.recorder.errors import OptionsError, SpoolBusy
from reditus.recorder.host import archive_id, host_facts, host_id, host_name
from reditus.recorder.options import Options, read_options
from reditus.recorder.otlp_sender import OtlpSender
from reditus.recorder.privileges import RECORDER_KEEPS, drop_root
from reditus.recorder.runner import Runner
from reditus.recorder.spool import Spool
from reditus.recorder.stopping import STOP_SIGNALS, Stoppable, StopSwitch
from reditus.recorder.uplink import Uplink

log = structlog.get_logger()

DRAIN_S = 15.0
GARBAGE_EVERY = 20_000
NICENESS = -10


def main(arguments: list[str] | None = None) -> int:
    """Record until a signal or the end of `for`. Return the exit code."""
    try:
        options = read_options(arguments)
        options.spool.mkdir(parents=True, exist_ok=True, mode=0o700)
    except OptionsError as why:
        print(f"reditus-recorder: {terminal_text(str(why))}", file=sys.stderr)
        return 2
    except OSError as why:
        print(f"reditus-recorder: the spool cannot be made: {why.strerror}: {why.filename}", file=sys.stderr)
        return 2
    _configure_log()
    stop = StopSwitch()
    for number in STOP_SIGNALS:
        signal.signal(number, stop.take)
    raise_priority()  # which only root may ask for
    kept_root = drop_root(keep=RECORDER_KEEPS, needs=[Path(__file__).parent], owned=[options.spool])
    if kept_root is not None:
        log.warning("the recorder stays root", reason=kept_root)
    try:
        spools = open_spools(options.spool, options.name)
    except SpoolBusy as why:
        print(f"reditus-recorder: {why}", file=sys.stderr)
        return 2
    return record(options, spools, stop)


def open_spools(folder: Path, name: str) -> list[Spool]:
    """The spool of this recording first, then those that earlier ones left behind unsent."""
    host = host_id()
    own = Spool(folder / str(archive_id(host, name)))
    own.register(
        {
            "host": {"id": str(host), "name": host_name()},
            "name": name,
            "source": "recorded",
            "facts": host_facts().as_json(),
        }
    )
    spools = [own]
    for other in sorted(folder.iterdir()):
        if other == own.folder or not any(other.glob("*.batch")):
            continue
        try:
            spools.append(Spool(other))
        except SpoolBusy:
            continue  # its own recorder is at work, and sends it
    return spools


def record(options: Options, spools: list[Spool], stop: Stoppable) -> int:
    """Run runner, uplink and control channel to their end. Return the exit code."""
    spool = spools[0]
    uplink = Uplink(options.server, spools)
    sender = _sender(options)
    runner = Runner(
        spool, uplink, interval_ns=options.every_ns, for_ns=options.for_ns, log_files=options.logs, sender=sender
    )
    desk = ControlClient(options.server, spool.archive, lambda: _report(options, spool, runner))
    tune_gc()
    uplink.start()
    desk.start()
    if sender is not None:
        sender.start()
    runner.run(stop, desk)
    if sender is not None:
        sender.stop()
    sent = uplink.stop(DRAIN_S)
    desk.stop()
    log.info("ended", ticks=runner.ticks, missed=runner.missed)
    if not sent:
        left = spool.size_bytes
        log.warning("not everything could be sent; the next recorder on this machine sends it", spooled_bytes=left)
    for each in spools:
        each.close()
    return 0


def _sender(options: Options) -> OtlpSender | None:
    if options.otlp is None:
        return None
    resource = {
        "service.name": "reditus-recorder", "service.instance.id": options.name, "host.name": host_name(),
        "host.id": str(host_id()), "os.type": "linux",
    }  # fmt: skip
    return OtlpSender(options.otlp, resource, options.otlp_every_ns)


def tune_gc() -> None:
    """What was loaded until now stays. Of what a tick makes hardly anything stands in circles, so looking for those
    after every seven hundred objects would cost more than it finds.
    """
    gc.freeze()
    gc.set_threshold(GARBAGE_EVERY)


def _report(options: Options, spool: Spool, runner: Runner) -> Json:
    registration = spool.registration() or {}
    return {
        "host": registration.get("host"),
        "archive": str(spool.archive),
        "name": options.name,
        "plan": options.plan,
        "report": runner.report(),
    }


def raise_priority() -> None:
    """Ticks have to come on time when everything else is late too. The recorder needs so little that
    nothing suffers.
    """
    try:
        os.setpriority(os.PRIO_PROCESS, 0, NICENESS)
    except PermissionError:
        log.info("may not come first on busy cores; as an ordinary user ticks may be a little late there")


class SafeText(io.TextIOBase):
    """A stream to a terminal that nothing written to it can steer: names come from processes and devices."""

    def __init__(self, real: TextIO) -> None:
        self._real = real

    def write(self, text: str) -> int:
        """Write text with everything that could steer a terminal spelt out."""
        return self._real.write("\n".join(map(terminal_text, text.split("\n"))))

    def flush(self) -> None:
        """Flush the terminal's stream."""
        self._real.flush()


def _configure_log() -> None:
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.dev.ConsoleRenderer(colors=False),
        ],
        wrapper_class=structlog.make_filtering_bound_logger(logging.INFO),
        logger_factory=structlog.PrintLoggerFactory(cast(TextIO, SafeText(sys.stderr))),
    )


if __name__ == "__main__":
    sys.exit(main())
