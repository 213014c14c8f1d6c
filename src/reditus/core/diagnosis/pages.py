"""The page of diagnoses, written from the rules."""

from reditus.core.diagnosis.engine import KINDS
from reditus.core.diagnosis.parameters import described
from reditus.core.normal import unlike


def diagnoses_page() -> str:
    """Markdown: every kind with what it means, and every number that is judged by."""
    parts = ["# Diagnoses\n\nWhat Reditus names, and what it rules out. Written from the code by `scripts/pages`.\n"]
    for kind in (*KINDS, unlike.KIND):
        parts.append(
            f"\n## {kind.title} (`{kind.id}`)\n\n{'A finding' if kind.is_problem else 'Ruled out'}. {kind.meaning}\n"
        )
        parts.append(
            f"\nEvidence: {', '.join(f'`{name}`' for name in kind.evidence)}.\n\nLooks like it: {kind.look_alikes}\n"
        )
        if kind.without:
            parts.append(f"\nWhere counters are missing: {kind.without}\n")
        if kind.next_steps:
            parts.append("\nWhat to look at next:\n\n" + "".join(f"- {step}\n" for step in kind.next_steps))
    parts.append("\n## The numbers\n\n| name | value | unit | why |\n|---|---|---|---|\n")
    parts += [f"| `{name}` | {value:g} | {why.unit} | {why.reason} |\n" for name, value, why in described()]
    return "".join(parts)
