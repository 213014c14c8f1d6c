"""Charts from frozen numbers, amounts with their units, and clocks of places."""

import re
from datetime import UTC, datetime
from pathlib import Path
from xml.etree import ElementTree

import pytest

from reditus.analysis.report.clock import Clock, year_of
from reditus.analysis.report.drawing import draw_chart, draw_shapes, in_words, pictures, stacked
from reditus.analysis.report.inks import DAY, NIGHT, mixed
from reditus.core.amounts import Scale, round_top, scale_for, spell_amount, spell_number
from reditus.exchange.bundle.contents import Chart, Content, Figures, Line, Sentences, Shapes, Source, Versions

S = 10**9
BEGIN_NS = 1_794_474_000 * S
SVG = "{http://www.w3.org/2000/svg}"


def chart(*columns, **more):
    lines = [
        Line(label=f"line {n}", names=["x"], weight=1, width=1.25, values=values,
             figures=Figures(low=0, mean=0.02, high=0.04, coverage=1))
        for n, values in enumerate(columns)
    ]  # fmt: skip
    times = [BEGIN_NS + n * 60 * S for n in range(len(columns[0]))]
    given = {"title": "Wait <per> request", "resource": "disk", "unit": "s", "top": 0.04, "bin_s": None}
    return Chart(**(given | more), times_ns=times, lines=lines)


def content(*parts, zone="UTC"):
    source = Source(host="0" * 32, host_name="stitch & sons", archive="1" * 32, archive_name="morning", interval_s=1,
                    coverage=1)  # fmt: skip
    return Content(
        kind="strip", title="t", source=source, start_ns=BEGIN_NS, end_ns=BEGIN_NS + 240 * S, zone=zone, view="",
        versions=Versions(reditus="0", derivation=1, rules=1), parts=list(parts),
    )  # fmt: skip


def drawn(part, **more):
    return ElementTree.fromstring(draw_chart(content(part), part, **more))


def test_a_line_goes_where_its_values_are_and_breaks_where_nothing_is_known():
    picture = drawn(chart([0, 0.01, None, 0.02, 0.04]))
    lines = [item.get("d") for item in picture.iter(f"{SVG}path") if item.get("stroke-width")]
    [path] = [line for line in lines if line.count("L") == 2]
    # The very numbers of the page's own drawing: from 64 on the left over 880, 100 high from 74 on.
    assert path == "M64.0 174.0L284.0 149.0M724.0 124.0L944.0 74.0"


def test_it_says_of_itself_what_of_which_host_when_and_by_which_clock():
    part = chart([0, 0.01, None, 0.02, 0.04], about="hottest 5")
    picture = ElementTree.fromstring(draw_chart(content(part, zone="Europe/Berlin"), part))
    words = [item.text for item in picture.iter(f"{SVG}text")]
    assert "stitch & sons · morning" in words
    assert "ms · hottest 5" in words
    assert any("Berlin (UTC+1)" in (word or "") for word in words)
    assert "line 0: lowest 0.00\u2009ms, mean 20.0\u2009ms, highest 40.0\u2009ms" in picture.findtext(f"{SVG}desc")
    assert picture.get("role") == "img"


def test_layers_add_up_and_bands_are_filled():
    layers = drawn(chart([1, 1], [1, None], stacked=True, top=4.0, unit="cores"))
    fills = [item.get("d") for item in layers.iter(f"{SVG}path") if (item.get("fill") or "").startswith("#")]
    assert len(fills) == 2
    assert stacked([[1, 1], [1, None]]) == [[1, 1], [2, None]]
    banded = drawn(chart([0.01, 0.02], band={"low": [0, 0], "high": [0.03, 0.04]}))
    assert sum((item.get("fill") or "").startswith("#") for item in banded.iter(f"{SVG}path")) == 1


def test_pictures_are_in_day_and_in_night_and_say_why_there_is_nothing():
    part = chart([None, None], missing="Nothing recorded.")
    assert "Nothing recorded." in draw_chart(content(part), part)
    assert in_words(part) == "Nothing recorded."
    assert DAY["paper"] in draw_chart(content(part), part)
    assert NIGHT["paper"] in draw_chart(content(part), part, "night")
    assert mixed(DAY["disk"], "#ffffff", 1) == DAY["disk"]


def test_the_page_and_reports_have_the_same_inks():
    styles = (Path(__file__).resolve().parents[3] / "web" / "src" / "styles" / "main.css").read_text()
    by_day, by_night = styles.split(":root[data-theme='night']")
    for inks, css in ((DAY, by_day), (NIGHT, by_night)):
        own = dict(re.findall(r"--color-([a-z-]+): (#[0-9a-f]{6});", css))
        assert {name: own[name] for name in inks} == dict(inks)


def test_two_distributions_on_one_scale():
    shapes = Shapes(
        title="Wait", resource="disk", unit="s", low=0.0001, high=0.1, log=True, window=[0, 1, 0], reference=[1, 0, 0],
        window_label="window", reference_label="reference", window_at=0.042, reference_at=0.00014,
    )  # fmt: skip
    picture = ElementTree.fromstring(draw_shapes(shapes))
    words = {item.text: float(item.get("x")) for item in picture.iter(f"{SVG}text")}
    assert words["reference 0.14\u2009ms"] < words["window 42.0\u2009ms"]
    assert len(pictures(content(chart([1, 2]), Sentences(lines=["x"]), shapes))) == 2


@pytest.mark.parametrize(
    ("value", "unit", "spelled"),
    [
        (12_345, "count", "12,345"), (9_999, "count", "9999"), (0.881, "share", "88\u2009%"),
        (0.05, "share", "5.0\u2009%"),
        (125_000_000, "bits/s", "1.00\u2009Gbit/s"), (3 * 2**30, "bytes", "3.00\u2009GiB"),
        (512, "bytes/s", "512\u2009B/s"),
        (1_500, "1/s", "1500\u2009/s"), (15_000, "1/s", "15.0\u2009k/s"), (0.02, "1/s", "0.020\u2009/s"),
        (2.5, "cores", "2.50\u2009cores"), (3.2e9, "Hz", "3.20\u2009GHz"), (41.26, "°C", "41.3\u2009°C"),
        (0.0123, "s", "12.3\u2009ms"), (1.5, "s", "1.50\u2009s"), (None, "s", "–"), (-4, "count", "-4.00"),
    ],
)  # fmt: skip
def test_amounts_are_those_of_the_page(value, unit, spelled):
    assert spell_amount(value, unit) == spelled


def test_scales():
    assert round_top(0, Scale(10, "", 0)) == 10
    assert spell_number(0.125, Scale(1, "", 2)) == "0.13"
    assert round_top(7.2, scale_for("cores", 7.2)) == 8


def test_a_clock_goes_through_its_changes():
    berlin = Clock("Europe/Berlin", 2026)
    # The night in which the clock is put back: two o'clock comes twice.
    night_ms = datetime(2026, 10, 24, 23, tzinfo=UTC).timestamp() * 1_000
    labels = [berlin.axis_label(at_ms, 3_600_000) for at_ms in berlin.axis(night_ms, night_ms + 4 * 3_600_000, 5)]
    assert labels == ["01:00", "02:00", "02:00", "03:00", "04:00"]
    assert berlin.name(round(night_ms) * 10**6, round(night_ms + 14_400_000) * 10**6) == "Berlin (UTC+2, then UTC+1)"
    assert year_of([BEGIN_NS, BEGIN_NS + S]) == 2026
    assert year_of([0, BEGIN_NS]) is None
    assert Clock("UTC").instant(BEGIN_NS).endswith("2026 09:00:00")
