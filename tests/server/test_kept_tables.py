"""Tables that are kept for the next request of the same."""

import shutil
from pathlib import Path

import pytest

from reditus.server.kept_tables import KeptTables, Written


@pytest.fixture
def kept():
    kept = KeptTables(most_bytes=100)
    yield kept
    kept.close()


def written(folder, name, size_bytes=20, **more):
    path = folder / name
    path.write_bytes(name.encode().ljust(size_bytes))
    return Written(path, size_bytes, "vault", **more)


def test_what_is_kept_outlives_the_file_it_came_from(kept, tmp_path):
    kept.keep("a", written(tmp_path, "a"))
    (tmp_path / "a").unlink()
    found = kept.get("a", tmp_path / "place")
    assert found.path == tmp_path / "place"
    assert found.path.read_bytes().strip() == b"a"
    assert kept.get("b", tmp_path / "other") is None


def test_what_was_used_longest_ago_gives_way_and_who_has_it_keeps_it(kept, tmp_path):
    for name in "abcde":
        kept.keep(name, written(tmp_path, name))
    kept.get("a", tmp_path / "place")
    kept.keep("f", written(tmp_path, "f"))
    assert kept.get("b", tmp_path / "gone") is None
    for name in "acdef":
        assert kept.get(name, tmp_path / f"place of {name}").path.read_bytes().strip() == name.encode()
    folder = Path(kept._folder.name)
    assert len(list(folder.iterdir())) == 5
    kept.close()
    assert (tmp_path / "place").read_bytes().strip() == b"a"
    assert not folder.exists()


def test_neither_what_is_large_nor_what_is_damaged_is_kept(kept, tmp_path):
    kept.keep("large", written(tmp_path, "large", 26))
    kept.keep("damaged", written(tmp_path, "damaged", left_out="1 stretch of ticks"))
    assert kept.get("large", tmp_path / "place") is None
    assert kept.get("damaged", tmp_path / "place") is None


def test_a_folder_that_was_cleared_is_no_trouble(kept, tmp_path):
    kept.keep("a", written(tmp_path, "a"))
    shutil.rmtree(kept._folder.name)
    assert kept.get("a", tmp_path / "place") is None
    kept.keep("a", written(tmp_path, "a"))
    assert kept.get("a", tmp_path / "place") is None
