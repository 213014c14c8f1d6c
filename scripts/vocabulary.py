#!/usr/bin/env -S sh -c 'exec "$(dirname "$0")/../.venv/bin/python" "$0" "$@"'
"""Fail on the words that docs/glossary.md lists as not to be used: in names, and in docstrings, comments
and strings.
"""

import ast
import io
import re
import subprocess
import sys
import tokenize
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
ROW = re.compile(r"^\| (?P<word>[^|]+?) \| (?P<places>[^|]+?) \| [^|]+ \|$")
PYTHON = ("src/", "tests/", "benchmarks/", "bootstrap/", "scripts/", "hatch_build.py")
PAGES = "web/src/"
EXEMPT = ("scripts/vocabulary.py", "src/reditus/store/database/migrations/versions/", "web/src/api/schema.d.ts")
"""This list itself; what is history; what is generated."""
PROPER_NAMES = re.compile(r"`nobody`|\"nobody\"|'nobody'|//nobody@")
"""The system's unprivileged user is called so."""


def main() -> int:
    in_names, in_text = read_words((ROOT / "docs" / "glossary.md").read_text())
    wrong = [
        f"{name}:{hit}"
        for name in tracked_files()
        for hit in violations(name, (ROOT / name).read_text(), in_names, in_text)
    ]
    print("\n".join(wrong))
    return 1 if wrong else 0


def read_words(glossary: str) -> tuple[set[str], re.Pattern[str]]:
    """From the glossary's last table: parts of names, and a pattern for text."""
    rows = [match for line in glossary.split("## Words not to use")[1].splitlines() if (match := ROW.match(line))]
    names = {row["word"] for row in rows if "identifiers" in row["places"]}
    words = [row["word"] for row in rows if "text" in row["places"]]
    return names, re.compile(rf"\b({'|'.join(map(re.escape, words))})\b", re.IGNORECASE)


def tracked_files() -> list[str]:
    """Python files, and the sources of the pages."""
    listed = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=True).stdout.split(
        "\n"
    )
    return [
        name
        for name in listed
        if not name.startswith(EXEMPT)
        and (
            (name.endswith(".py") and name.startswith(PYTHON))
            or (name.endswith((".ts", ".vue")) and name.startswith(PAGES))
        )
        and (ROOT / name).is_file()
    ]


def violations(name: str, source: str, in_names: set[str], in_text: re.Pattern[str]) -> Iterator[str]:
    """`LINE: word` of each."""
    if name.endswith(".py"):
        yield from _in_python(source, in_names, in_text)
        return
    for number, line in enumerate(source.splitlines(), 1):
        for match in in_text.finditer(PROPER_NAMES.sub("", line)):
            yield f"{number}: {match[0]}"


def _in_python(source: str, in_names: set[str], in_text: re.Pattern[str]) -> Iterator[str]:
    for node in ast.walk(ast.parse(source)):
        targets: list[ast.AST] = []
        if isinstance(node, ast.For | ast.AsyncFor | ast.comprehension):
            targets = list(ast.walk(node.target))
        elif isinstance(node, ast.Lambda):
            targets = list(node.args.args)
        for target in targets:
            if (isinstance(target, ast.Name) and target.id == "one") or (
                isinstance(target, ast.arg) and target.arg == "one"
            ):
                yield f"{target.lineno}: a loop variable is what it holds, not `one`"
    for token in tokenize.generate_tokens(io.StringIO(source).readline):
        line = token.start[0]
        if token.type == tokenize.NAME:
            parts = Counter(re.sub(r"(?<=[a-z])(?=[A-Z])", "_", token.string).lower().strip("_").split("_"))
            for word in in_names:
                if all(parts[part] for part in word.split("_")):
                    yield f"{line}: {token.string}"
        elif token.type in (tokenize.STRING, tokenize.COMMENT):
            for match in in_text.finditer(PROPER_NAMES.sub("", token.string)):
                yield f"{line}: {match[0]}"


if __name__ == "__main__":
    sys.exit(main())
