"""/sys/block/zram*/mm_stat: compressed swap (Documentation/admin-guide/blockdev/zram.rst)."""

from collections.abc import Iterator

from reditus.core.counters import DISK, PAGING_STATE
from reditus.core.kernel_columns import kernel_column
from reditus.recorder.kernel_text import Field, Word
from reditus.recorder.sources.source import SLOW_S, Source, each_file

STATES = ("original", "compressed", "resident")


def learn_file(path: str, body: list[list[Word]]) -> Iterator[Field]:
    """Fields of a compressed swap device."""
    if not body:
        return
    device = path.split("/")[3]
    for state, word in zip(STATES, body[0], strict=False):
        yield Field(kernel_column("system.paging.linux.compressed", {DISK: device, PAGING_STATE: state}), word.at)


SOURCE = Source("swap.compressed", "/sys/block/zram*/mm_stat", each_file(learn_file), pace_s=SLOW_S)
