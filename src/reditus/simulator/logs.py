"""What a host's programs log: how much by hour of the day, and more while something is wrong."""

from collections.abc import Iterator

import numpy as np

from reditus.core.markers import Marker, in_log
from reditus.core.types import NS_PER_S
from reditus.simulator.scenario import Episode, Habit, Scenario

HOUR_S = 3_600.0


def logged(scenario: Scenario) -> list[Marker]:
    """Lines of the scenario's logs, in the order of time within each."""
    out: list[Marker] = []
    for place, habit in enumerate(scenario.habits):
        random = np.random.default_rng([scenario.seed, place, len(scenario.habits)])
        lines = sorted(_lines(habit, scenario.length_s, random))
        out += in_log(
            [
                Marker(
                    f"habit/{place}/{number}", scenario.begin_ns + round(at_s * NS_PER_S), "log", text, habit.source,
                    severity,
                )
                for number, (at_s, severity, text) in enumerate(lines)
            ],
            habit.log,
        )  # fmt: skip
    return out


def _lines(habit: Habit, length_s: float, random: np.random.Generator) -> Iterator[tuple[float, str, str]]:
    for hour in range(int(length_s // HOUR_S)):
        share = habit.curve.hours[hour % 24]
        usual = Episode(hour * HOUR_S, (hour + 1) * HOUR_S, habit.per_hour * share, "informational", habit.texts)
        yield from _of_episode(usual, random)
    for episode in habit.episodes:
        yield from _of_episode(episode, random)


def _of_episode(episode: Episode, random: np.random.Generator) -> Iterator[tuple[float, str, str]]:
    expected = episode.per_hour * (episode.end_s - episode.start_s) / HOUR_S
    for at_s in random.uniform(episode.start_s, episode.end_s, random.poisson(expected)):
        text = episode.texts[random.integers(len(episode.texts))]
        yield float(at_s), episode.severity, text.replace("#", str(random.integers(2, 60)))
