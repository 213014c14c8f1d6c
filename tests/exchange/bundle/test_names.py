"""Substitutes for names, the search for what is left, and the published schema."""

import json
from pathlib import Path

from hypothesis import given
from hypothesis import strategies as st

from reditus.exchange.bundle.contents import Content, checksum, frozen
from reditus.exchange.bundle.pseudonyms import Category, Pseudonyms, found_in, leaves
from reditus.exchange.bundle.schema import bundle_schema

PUBLISHED = Path(__file__).resolve().parents[3] / "docs" / "bundle.schema.json"
# Beyond these there are letters whose lower case is two: the search finds what was not replaced, and no bundle is made.
NAMES = st.text(st.characters(categories=("L", "N", "P", "S"), max_codepoint=0x12F), min_size=3, max_size=12)


def substitutes(*categories, key=b"k"):
    return Pseudonyms(key, frozenset(categories or Category))


def test_the_same_name_is_the_same_substitute_and_another_key_makes_others():
    first, again, other = substitutes(), substitutes(), substitutes(key=b"another")
    assert first.of(Category.HOSTS, "leafdb") == again.of(Category.HOSTS, "leafdb")
    assert first.of(Category.HOSTS, "leafdb").startswith("host_")
    assert first.of(Category.HOSTS, "leafdb") != other.of(Category.HOSTS, "leafdb")
    assert first.of(Category.MOUNTS, "/srv/pictures").startswith("/mount_")


def test_what_is_the_same_everywhere_stays_and_what_was_not_chosen_too():
    names = substitutes(Category.HOSTS)
    assert names.of(Category.USERS, "root") == "root"
    assert names.of(Category.MOUNTS, "/") == "/"
    assert names.of(Category.PROCESSES, "indexer") == "indexer"
    host = names.of(Category.HOSTS, "leafdb")
    # A user of the same name would give the host away.
    assert names.of(Category.USERS, "leafdb") == host


def test_sentences_lose_names_whatever_their_case_and_words_keep_their_parts():
    names = substitutes()
    program, host = names.of(Category.PROCESSES, "indexer"), names.of(Category.HOSTS, "leaf-db.lab")
    assert names.within("Indexer on leaf-db.lab grew") == f"{program} on {host} grew"
    assert names.within("reindexers are no INDEXER") == f"reindexers are no {program}"


@given(st.lists(NAMES, min_size=1, max_size=6), st.lists(NAMES, max_size=6))
def test_no_name_is_left_in_a_sentence(originals, words):
    names = substitutes()
    for name in originals:
        names.of(Category.PROCESSES, name)
    text = names.within(" ".join([*words, *originals]))
    assert list(found_in([("text", text)], names.words())) == []


def test_a_program_called_like_a_substitute_is_not_found_in_one():
    names = substitutes()
    for name in ("host", "program", "user", "line", "leafdb"):
        names.of(Category.HOSTS, name)
    text = names.within("the host leafdb, a program, a user, a line")
    assert list(found_in([("text", text)], names.words())) == []


def test_the_search_says_where():
    texts = list(leaves({"a": ["x", {"b": "the Indexer"}]}, "exhibit"))
    assert list(found_in(texts, ["indexer"])) == [("exhibit/a/1/b", "indexer")]
    assert list(found_in(texts, [])) == []


def test_the_published_schema_is_that_which_bundles_are_checked_with():
    assert json.loads(PUBLISHED.read_text()) == bundle_schema(), "run scripts/bundle-schema"


def test_a_checksum_is_of_what_is_written():
    content = Content.model_validate(
        {
            "kind": "note", "title": "t", "start_ns": 1, "end_ns": 2, "zone": "UTC", "view": "",
            "versions": {"reditus": "0", "derivation": 1, "rules": 1},
            "source": {"host": "0" * 32, "host_name": "h", "archive": "1" * 32, "archive_name": "a", "interval_s": 1.0,
                       "coverage": 0.1},
            "parts": [{"part": "sentences", "lines": ["é"]}],
        }
    )  # fmt: skip
    data = frozen(content)
    assert b'"coverage":0.1' in data
    assert "é".encode() in data
    assert checksum(frozen(Content.model_validate_json(data))) == checksum(data)
