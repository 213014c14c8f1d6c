"""What was read of a file that came in."""

import numpy as np


def series_of(incoming):
    """By column: its times, and its values in the column's unit."""
    schemas = {schema.digest: schema for schema in incoming.file.head.schemas}
    out = {}
    for batch in incoming.file.batches():
        for block in batch.blocks:
            stretch = block.stretch()
            for place, column in enumerate(schemas[block.schema].columns):
                values = np.ascontiguousarray(stretch.values[:, place]).view(np.float64) * column.factor
                times, known = out.setdefault(column, ([], []))
                times += stretch.wall_ns.tolist()
                known += values.tolist()
    return out
