"""Being requested to stop, by signals: at any instant, however they were handed down, and never for ever."""

import os
import signal
import subprocess
import sys
import threading

import pytest

from reditus.recorder.stopping import STOP_SIGNALS, StopSwitch, handling

WAITER = """
import os, signal, sys
from reditus.recorder.stopping import STOP_SIGNALS, StopSwitch
switch = StopSwitch()
for number in STOP_SIGNALS:
    signal.signal(number, switch.take)
print("ready", flush=True)
while not switch.wait(0.0005):
    pass
print(switch.signal, flush=True)
"""
TIMES = 40


def waiter(ignored=False):
    def ignore():
        for number in STOP_SIGNALS:
            signal.signal(number, signal.SIG_IGN)

    return subprocess.Popen(
        [sys.executable, "-c", WAITER],
        stdout=subprocess.PIPE,
        text=True,
        preexec_fn=ignore if ignored else None,  # noqa: PLW1509  two system calls
    )


@pytest.mark.parametrize("ignored", [False, True], ids=["handed down as they are", "handed down ignored"])
@pytest.mark.parametrize("number", STOP_SIGNALS, ids=["SIGINT", "SIGTERM"])
def test_a_signal_ends_the_wait(number, ignored):
    process = waiter(ignored)
    assert process.stdout.readline() == "ready\n"
    process.send_signal(number)
    assert process.communicate(timeout=60)[0] == f"{int(number)}\n"
    assert process.returncode == 0


def test_signals_in_the_middle_of_waiting_and_of_each_other():
    """An Event's own lock would be held by the waiter now and then, and the handler wait for it for ever."""
    for _ in range(TIMES):
        process = waiter()
        assert process.stdout.readline() == "ready\n"
        for number in (*STOP_SIGNALS, *STOP_SIGNALS):
            process.send_signal(number)
        process.communicate(timeout=60)
        # One that comes when Python is ending already ends it at once.
        assert process.returncode in (0, -signal.SIGINT, -signal.SIGTERM)


def test_it_waits_no_longer_than_requested_and_is_set_from_any_thread():
    switch = StopSwitch()
    assert not switch.wait(0.01)
    assert not switch.is_set()
    setter = threading.Thread(target=switch.set)
    setter.start()
    assert switch.wait(60)
    setter.join()
    switch.set()
    assert switch.wait()
    assert switch.signal is None
    switch.close()


def test_what_was_there_before_is_there_again():
    before = [signal.getsignal(number) for number in STOP_SIGNALS]
    switch = StopSwitch()
    with handling(switch.take):
        os.kill(os.getpid(), signal.SIGTERM)
        assert switch.wait(60)
    assert [signal.getsignal(number) for number in STOP_SIGNALS] == before
    assert switch.signal == signal.SIGTERM
    switch.close()
