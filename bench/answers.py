"""What people ask of a large estate, over HTTP: one after the other, and twenty at once on two processes.

python bench/answers.py [--size small medium large] [--workers 2] [--people 20] [--seconds 20]
"""

import argparse
import os
import random
import signal
import subprocess
import sys
import threading
import time

import httpx

from estate import SIZES, Asset
from jalan.demo.cluster import free_port
from stores import ROOT, bench_cluster, estate_store

_SEED = 5


class Questions:
    """Addresses of everyday questions about an estate, chosen at random."""

    def __init__(self, estate: list[Asset], seed: int) -> None:
        self._estate = estate
        self._chance = random.Random(seed)
        self._fields = sum(asset.columns for asset in estate)
        self.crossroads = next(n for n, asset in enumerate(estate) if len(asset.reads) >= 40) + 1
        self.wide = max(range(len(estate)), key=lambda n: estate[n].columns) + 1
        self.hub = 3
        self.hub_field = estate[2].first_field + 2

    def dataset(self) -> int:
        return self._chance.randrange(1, len(self._estate) + 1)

    def field(self) -> int:
        return self._chance.randrange(1, self._fields + 1)

    def words(self) -> str:
        name = self._estate[self.dataset() - 1].name
        return self._chance.choice([name, name.split("_")[0], " ".join(name.split("_")[:2]), name.split("_")[2]])

    def everything(self) -> dict[str, list[str]]:
        """Return kind of question → addresses."""
        return {
            "find": [f"/find?q={self.words()}" for _ in range(40)],
            "find, spelled wrong": [f"/find?q=sailnig_{self.dataset()}" for _ in range(10)],
            "catalog": ["/catalog"] * 10,
            "catalog, a choice": ["/catalog?owner=Quay desk&kind=table"] * 10,
            "catalog, words": [f"/catalog?q={self.words()}" for _ in range(20)],
            "dataset": [f"/datasets/{self.dataset()}" for _ in range(40)],
            "dataset of 2 000 columns": [f"/datasets/{self.wide}"] * 10,
            "dataset, a hub": [f"/datasets/{self.hub}"] * 10,
            "lanes": [f"/datasets/{self.dataset()}/lanes" for _ in range(40)],
            "lanes of a crossroads": [f"/datasets/{self.crossroads}/lanes"] * 10,
            "trail": [f"/trail?field={self.field()}" for _ in range(40)],
            "trail of a hub": [f"/trail?field={self.hub_field}"] * 10,
            "what depends on a field": [f"/fields/{self.field()}/dependents" for _ in range(40)],
            "what depends on a hub": [f"/fields/{self.hub_field}/dependents"] * 10,
            "evidence": [f"/links/{self._chance.randrange(1, 20_000)}/evidence" for _ in range(40)],
            "overview": ["/overview"] * 10,
        }

    def one(self) -> str:
        """Return what one of many people asks next."""
        kind = self._chance.choices(
            ["find", "catalog", "dataset", "lanes", "trail", "depends", "evidence"], [3, 1, 3, 4, 2, 1, 2]
        )[0]
        if kind == "find":
            return f"/find?q={self.words()}"
        if kind == "catalog":
            return "/catalog"
        if kind == "dataset":
            return f"/datasets/{self.dataset()}"
        if kind == "lanes":
            return f"/datasets/{self.dataset()}/lanes"
        if kind == "trail":
            return f"/trail?field={self.field()}"
        if kind == "depends":
            return f"/fields/{self.field()}/dependents"
        return f"/links/{self._chance.randrange(1, 20_000)}/evidence"


def one_by_one(client: httpx.Client, questions: Questions) -> None:
    """Print how long each kind of question takes, and how large its answers are."""
    for what, addresses in questions.everything().items():
        client.get(f"/api/v1{addresses[0]}")
        took, largest = [], 0
        for address in addresses:
            begun = time.perf_counter()
            answer = client.get(f"/api/v1{address}")
            took.append(time.perf_counter() - begun)
            assert answer.status_code == 200, (address, answer.text[:200])
            largest = max(largest, len(answer.content))
        took.sort()
        middle, late = took[len(took) // 2], took[min(len(took) - 1, int(len(took) * 0.95))]
        print(
            f"  {what:28} p50 {middle * 1e3:7.1f} ms   p95 {late * 1e3:7.1f} ms   {largest / 1000:6.0f} kB at most"
        )


def at_once(address: str, estate: list[Asset], people: int, seconds: float) -> None:
    """Print how many answers many people get who ask at once."""
    took: list[float] = []
    end = time.perf_counter() + seconds

    def ask(person: int) -> None:
        questions = Questions(estate, person)
        with httpx.Client(base_url=address, timeout=120) as client:
            while time.perf_counter() < end:
                begun = time.perf_counter()
                client.get(f"/api/v1{questions.one()}").raise_for_status()
                took.append(time.perf_counter() - begun)

    threads = [threading.Thread(target=ask, args=(n,)) for n in range(people)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    took.sort()
    middle, late = took[len(took) // 2] * 1e3, took[int(len(took) * 0.95)] * 1e3
    answers = len(took) / seconds
    print(f"  {people} people at once: {answers:.0f} answers a second, p50 {middle:.0f} ms, p95 {late:.0f} ms")


def main() -> None:
    """Serve each estate and ask."""
    arguments = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    arguments.add_argument("--size", nargs="+", choices=SIZES, default=["small", "medium"])
    arguments.add_argument("--workers", type=int, default=2)
    arguments.add_argument("--people", type=int, default=20)
    arguments.add_argument("--seconds", type=float, default=20)
    given = arguments.parse_args()
    frontend = ROOT / "frontend" / "dist"
    with bench_cluster() as cluster:
        for name in given.size:
            engine, estate = estate_store(cluster, name)
            store = engine.url.render_as_string(hide_password=False)
            engine.dispose()
            port = free_port()
            command = [sys.executable, "-m", "jalan.cli.main", "serve", "--port", str(port)]
            command += ["--workers", str(given.workers), "--frontend", str(frontend)]
            environment = {**os.environ, "JALAN_STORE": store}
            server = subprocess.Popen(
                command,
                env=environment,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
                start_new_session=True,
            )
            try:
                address = f"http://127.0.0.1:{port}"
                print(f"{name}, {given.workers} processes, ready after {_ready(address, given.workers):.1f} s")
                with httpx.Client(base_url=address, timeout=120) as client:
                    one_by_one(client, Questions(estate, _SEED))
                at_once(address, estate, given.people, given.seconds)
            finally:
                os.killpg(server.pid, signal.SIGTERM)
                server.wait()


def _ready(address: str, workers: int) -> float:
    """Wait until every process has its graph: each takes some of several questions asked at once."""
    begun = time.perf_counter()
    while True:
        try:
            httpx.get(f"{address}/api/v1/datasets/1", timeout=120).raise_for_status()
            break
        except httpx.HTTPError:
            time.sleep(0.2)
    with httpx.Client(base_url=address, timeout=120, limits=httpx.Limits(max_keepalive_connections=0)) as client:
        for _ in range(8 * workers):
            client.get("/api/v1/datasets/1")
    return time.perf_counter() - begun


if __name__ == "__main__":
    main()
