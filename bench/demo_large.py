"""Serves a made-up estate of size, to look at: a million columns and five million links by default.

python bench/demo_large.py [--size large] [--port 8420]
"""

import argparse
import logging

from estate import SIZES
from jalan.demo.cluster import free_port
from jalan.demo.start import serve
from jalan.service.logs import configure
from stores import ROOT, bench_cluster, estate_store


def main() -> None:
    """Make the estate where it is not there yet, and serve it until told to stop."""
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--size", choices=SIZES, default="large")
    arguments.add_argument("--port", type=int, default=8420)
    given = arguments.parse_args()
    configure(logging.WARNING)
    with bench_cluster() as cluster:
        print(f"the estate “{given.size}” is made the first time (up to two minutes), and read when it is served")
        engine, _ = estate_store(cluster, given.size)
        port = free_port(given.port)
        print(f"Jalan is at http://127.0.0.1:{port} (Ctrl-C stops it)", flush=True)
        serve(engine, ROOT / "frontend" / "dist", port)


if __name__ == "__main__":
    main()
