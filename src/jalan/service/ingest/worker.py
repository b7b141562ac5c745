"""One ingestion in a process of its own, as the scheduler starts it.

    python -m jalan.service.ingest.worker SOURCE INGESTION WHO

The store stands in the environment (``JALAN_STORE``). What ends it is the last line on stderr.
"""

import sys

from jalan.service.context import Context
from jalan.service.ingest.log import Cancelled
from jalan.service.ingest.sources import ingest
from jalan.service.refusals import FORESEEN, refusal
from jalan.service.settings import Settings
from jalan.store.database import open_store


def main(source_id: int, ingestion_id: int, who: str) -> None:
    """Bring a source up to date. Exits with 1 where that fails, and with 130 where it was stopped."""
    try:
        ingest(Context(open_store(Settings().store), who), source_id, ingestion_id=ingestion_id)
    except Cancelled:
        sys.exit(130)
    except FORESEEN as error:
        sys.exit(f"jalan: {refusal(error)}")


if __name__ == "__main__":
    main(int(sys.argv[1]), int(sys.argv[2]), sys.argv[3])
