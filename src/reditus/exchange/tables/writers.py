"""What writes tables of measures, by the name of the format."""

from collections.abc import Callable, Iterator, Mapping

from reditus.exchange.tables.arrow import write_parquet, write_stream
from reditus.exchange.tables.openmetrics import write_samples
from reditus.exchange.tables.table import Table
from reditus.exchange.tables.text import write_lines, write_long, write_wide

WRITERS: Mapping[str, Callable[[Table], Iterator[bytes]]] = {
    "csv": write_wide,
    "csv-long": write_long,
    "jsonl": write_lines,
    "arrow": write_stream,
    "parquet": write_parquet,
    "openmetrics": write_samples,
}
