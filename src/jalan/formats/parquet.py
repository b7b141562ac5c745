"""Writes the graph's table of links as Parquet, for data frames. Needs pyarrow."""

import io

from jalan.formats.graph import GraphRecord
from jalan.formats.link_table import COLUMNS, link_rows


def link_parquet(graph: GraphRecord) -> bytes:
    """Return one row a link, the same as in CSV, every column a string."""
    import pyarrow as pa
    import pyarrow.parquet as pq

    rows = list(link_rows(graph))
    columns = {name: pa.array([row[n] for row in rows], pa.string()) for n, name in enumerate(COLUMNS)}
    out = io.BytesIO()
    pq.write_table(pa.table(columns), out)
    return out.getvalue()
