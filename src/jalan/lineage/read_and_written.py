"""Which tables a text reads and writes, all in all."""

from jalan.lineage.model import Extraction


def read_and_written(extraction: Extraction) -> tuple[list[str], list[str]]:
    """Return the lasting tables that a text reads, and those that it writes, each once, in its order; what it reads
    and writes both stands among those written.

    >>> from jalan import extract
    >>> read_and_written(extract("create temp table t as select a from tides; insert into b (a) select a from t"))
    (['tides'], ['b'])
    """
    targets = (one.target for one in extraction.statements if one.target and one.outputs)
    written = dict.fromkeys(name for name in targets if name not in extraction.intermediates)
    read = dict.fromkeys(link.table for link in extraction.links if link.table not in written)
    return list(read), list(written)
