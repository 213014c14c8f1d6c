"""The page of measures, written from the catalogue."""

from reditus.core.measures.catalogue import MEASURES


def measures_page() -> str:
    """Markdown: a table per resource."""
    parts = [
        "# Measures\n\nWhat is charted and judged, derived from counters when read. Written from the code by "
        "`scripts/pages`.\n"
    ]
    for resource in dict.fromkeys(measure.resource for measure in MEASURES.values()):
        parts.append(
            f"\n## {resource.value.capitalize()}\n\n| name | what it is | unit | of each | formula "
            f"|\n|---|---|---|---|---|\n"
        )
        parts += [
            f"| `{measure.name}` | **{measure.title}.** {measure.help} | {measure.unit.value} | "
            f"{measure.per.name.lower() if measure.per else ''} | {measure.formula} |\n"
            for measure in MEASURES.values()
            if measure.resource is resource
        ]
    return "".join(parts)
