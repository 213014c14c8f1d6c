"""Judge what was recorded, whole and with less: whether the diagnosis is true."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

from benchmarks.lab.variations import VARIATIONS
from reditus.core.diagnosis import diagnose
from reditus.core.diagnosis.finding import Diagnosis
from reditus.core.types import NS_PER_S
from reditus.exchange import read_capture
from reditus.exchange.recording import Recording

MEASURED = ("cpu.steal",)
"""What the hypervisor takes is counted by the kernel: on a guest it may come at any time, and is true."""
ONSET_TICKS, ONSET_S = 2, 2.0
SHORT_TICKS = 6
"""Less than so many ticks of trouble are no test."""


@dataclass(frozen=True, slots=True)
class Verdict:
    """Whether a diagnosis is true, and what it reported."""

    right: bool
    answer: str
    onset_apart_s: float | None = None
    false_alarms: int = 0


@dataclass
class Tally:
    """Verdicts of one variation."""

    right: int = 0
    count: int = 0
    onsets_near: int = 0
    onsets: int = 0
    false_alarms: int = 0
    wrong: list[str] = field(default_factory=list)


def judge_recording(label: Mapping[str, object], recording: Recording) -> Verdict:
    """Hold a diagnosis to the label: the primary is of a right kind, and nothing else is a cause."""
    answer = diagnose(recording.frame(), recording.window())
    kinds, may = _texts(label, "kinds"), (*_texts(label, "may"), *MEASURED)
    described = _described(answer)
    if not label["is_problem"]:
        ruled_out = {item.kind for item in answer.ruled_out}
        false = [finding for finding in answer.findings if finding.kind not in may]
        right = not false and set(_texts(label, "rules_out")) <= ruled_out
        return Verdict(right, described, None, len(false))
    causes = [finding for finding in answer.findings if not finding.caused_by and finding.kind not in may]
    hits = [finding for finding in answer.findings if not kinds or finding.kind in kinds]
    if not hits:
        return Verdict(False, described, None, len(causes))
    first = min(hits, key=lambda item: item.start_ns)
    apart_s = abs(first.onset.at_ns / NS_PER_S - float(str(label["start"])))
    return Verdict(len(causes) <= 1, f"{described}, onset {apart_s:.1f} s from the truth", apart_s, 0)


def judge_capture(label: Mapping[str, object], capture: Path) -> Verdict:
    """The whole capture, as it was recorded."""
    return judge_recording(label, read_capture(capture).recording)


def judge_all(labelled: Mapping[str, tuple[Mapping[str, object], Path]]) -> dict[str, Tally]:
    """Every capture in every variation in which the trouble lasts long enough to be seen."""
    tallies = {name: Tally() for name in VARIATIONS}
    for name, (label, capture) in labelled.items():
        recording = read_capture(capture).recording
        for variation, change in VARIATIONS.items():
            changed = change(recording)
            tick_s = next(piece.interval_ns for piece in changed.pieces if piece.group == "cpu") / NS_PER_S
            length_s = float(str(label["end"])) - float(str(label["start"]))
            if (label["is_problem"] or label.get("rules_out")) and length_s < SHORT_TICKS * tick_s:
                continue
            _add(tallies[variation], name, judge_recording(label, changed), tick_s, whole=bool(label.get("is_whole")))
    return tallies


def _add(tally: Tally, name: str, verdict: Verdict, tick_s: float, *, whole: bool) -> None:
    tally.count += 1
    tally.right += verdict.right
    tally.false_alarms += verdict.false_alarms
    if verdict.onset_apart_s is not None and not whole:
        tally.onsets += 1
        tally.onsets_near += verdict.onset_apart_s <= max(ONSET_TICKS * tick_s, ONSET_S)
    if not verdict.right:
        tally.wrong.append(f"{name}: {verdict.answer}")


def _texts(label: Mapping[str, object], key: str) -> tuple[str, ...]:
    given = label.get(key)
    return tuple(str(entry) for entry in given) if isinstance(given, (list, tuple)) else ()


def _described(answer: Diagnosis) -> str:
    names = [f"{finding.kind}{f' {finding.device}' if finding.device else ''}" for finding in answer.findings]
    if names:
        return ", ".join(names)
    counted = Counter(item.kind for item in answer.ruled_out)
    return f"nothing; ruled out {', '.join(sorted(counted)) or 'nothing'}"
