"""Pages read on a cluster: a real scheduler and worker processes on this machine."""

import subprocess
import sys
import time
from contextlib import closing
from pathlib import Path

import polars as pl
import pytest
from distributed import Client, KilledWorker

from jovial_atlas.errors import ContentError
from jovial_atlas.pages import schema
from jovial_atlas.sources.html_page.page import PageFile, Reading, read_files
from jovial_atlas.sources.workers import cluster as cluster_of
from jovial_atlas.sources.workers.cluster import CLUSTER_CHUNK, Cluster
from tests.conftest import TODAY, page, run_command, write_site

pytestmark = pytest.mark.slow
READING = Reading("public", TODAY)
DASK = [sys.executable, "-m", "dask"]


@pytest.fixture(scope="module")
def scheduler(tmp_path_factory):
    """The client of a scheduler; its `work()` starts a worker."""
    folder = tmp_path_factory.mktemp("cluster")
    running = []

    def start(*arguments):
        running.append(
            subprocess.Popen(
                [*DASK, *arguments, "--scheduler-file", "s.json", "--no-dashboard"],
                cwd=folder,
                stdout=subprocess.DEVNULL,
                stderr=subprocess.DEVNULL,
            )
        )
        return running[-1]

    process = start("scheduler", "--host", "127.0.0.1", "--port", "0")
    with Client(scheduler_file=str(folder / "s.json"), timeout=120) as client:
        client.work = lambda: start("worker", "--nthreads", "1", "--no-nanny")
        client.end = process.kill
        yield client
    for one in running:
        one.kill()
        one.wait()


@pytest.fixture
def workers(scheduler):
    """Two workers; gives their processes."""
    running = [scheduler.work() for _ in range(2)]
    scheduler.wait_for_workers(2, timeout=120)
    yield running
    end(scheduler, running)


def end(scheduler, workers):
    for one in workers:
        one.kill()
        one.wait()
    until = time.monotonic() + 120
    while scheduler.status == "running" and scheduler.nthreads():
        assert time.monotonic() < until, "the scheduler still counts on workers that are gone"
        time.sleep(0.05)


def pages_in(folder):
    return pl.read_parquet(folder / ".jovial-atlas/pages.parquet")


def test_a_cluster_gives_the_rows_of_one_machine_even_where_it_loses_a_worker(
    scheduler, workers, tmp_path
):
    address = scheduler.scheduler.address
    names = [f"{number}.html" for number in range(8 * CLUSTER_CHUNK)]
    write_site(
        tmp_path, {name: page(f"Page {name}", f"<p>{name} word</p>" * 500) for name in names}
    )
    alone = run_command("survey", "--workers", "1", cwd=tmp_path)
    assert alone.code == 0, alone.err
    rows = pages_in(tmp_path)
    running = subprocess.Popen(
        [sys.executable, "-m", "jovial_atlas", "survey", "--full", "--cluster", address],
        cwd=tmp_path, stderr=subprocess.PIPE, text=True, stdout=subprocess.PIPE,
    )  # fmt: skip
    until = time.monotonic() + 120
    while not any(scheduler.processing().values()) and time.monotonic() < until:
        time.sleep(0.01)
    workers[0].kill()
    out, err = running.communicate(timeout=300)
    assert (running.returncode, err) == (0, ""), err
    assert "0 pages added, 0 changed, 0 removed" in out
    assert pages_in(tmp_path).equals(rows)
    # What did not change is not read again, and the site file may name the cluster.
    site_file = tmp_path / "atlas.toml"
    site_file.write_text(f'{site_file.read_text()}\n[survey]\ncluster = "{address}"\n')
    (tmp_path / "public/7.html").write_text(page("Another", "<p>words</p>"))
    done = run_command("survey", "--format", "json", cwd=tmp_path)
    assert done.json["changes"] == {"added": 0, "changed": 1, "removed": 0}
    tried = run_command("survey", "--workers", "1", "--cluster", address, cwd=tmp_path)
    assert (tried.code, "--workers or --cluster" in tried.err) == (2, True)


def read(address, root):
    with closing(Cluster(address)) as cluster:
        return list(
            cluster.read(root, READING, [PageFile("x", "x", "https://www.marrowfen.example/x")])
        )


def test_what_a_cluster_cannot_do_is_told(scheduler, workers, tmp_path, monkeypatch):
    monkeypatch.setattr(cluster_of, "_PATIENCE", 2.0)
    address = scheduler.scheduler.address
    (rows, faults) = read(address, tmp_path)[0]
    assert (pl.read_ipc_stream(rows).height, [fault.code for fault in faults]) == (
        0,
        ["page-unreadable"],
    )
    with pytest.raises(ContentError, match="does not see /nowhere"):
        read(address, Path("/nowhere"))
    with monkeypatch.context() as patch:
        patch.setattr(cluster_of, "__version__", "0.0")
        with pytest.raises(ContentError, match=r"it needs 0\.0"):
            read(address, tmp_path)
    with pytest.raises(ContentError, match="does not answer"):
        read("tcp://127.0.0.1:9", tmp_path)
    end(scheduler, workers)
    with pytest.raises(ContentError, match="has no worker"):
        read(address, tmp_path)
    # A source that breaks is told, and what was known of it stays.
    write_site(tmp_path, {"a.html": page("A", "<p>words</p>")})
    assert run_command("survey", cwd=tmp_path).code == 0
    broken = run_command("survey", "--full", "--cluster", address, cwd=tmp_path)
    assert "1 page of the survey before are kept" in broken.err.replace("is kept", "are kept")
    assert pages_in(tmp_path).height == 1


class Deadly:
    """Stands for a cluster on which one page ends every worker."""

    def nthreads(self):
        return {"one": 1}

    def run(self, *_args, **_options):
        return {}

    def submit(self, work, asked, folder, **_options):
        def result(timeout):
            if b"/5.html" in asked:
                raise KilledWorker("read", None, 3)
            return work(asked, folder)

        return type("Future", (), {"result": staticmethod(result)})

    def cancel(self, _futures):
        pass

    def close(self, timeout):
        pass


def test_a_page_that_ends_its_worker_is_left_out_alone(tmp_path):
    write_site(tmp_path, {f"{n}.html": page(f"P {n}", "<p>words</p>") for n in range(9)})
    files = [
        PageFile(tmp_path / f"public/{n}.html", f"{n}.html", f"https://x.example/{n}")
        for n in range(9)
    ]
    with closing(Cluster("tcp://nobody:1")) as cluster:
        cluster._client = Deadly()
        got = list(cluster.read(tmp_path, READING, files))
    rows = pl.concat(pl.read_ipc_stream(some) for some, _ in got)
    assert rows.equals(
        schema.table(read_files([one for one in files if one.path != "5.html"], READING)[0])
    )
    faults = [(fault.code, fault.where) for _, some in got for fault in some]
    assert faults == [("page-not-understood", "5.html")]


@pytest.mark.parametrize(
    ("lost", "said"), [("workers", "no worker left"), ("scheduler", "was lost while")]
)
def test_a_cluster_that_is_lost_in_the_middle_is_told(
    scheduler, workers, tmp_path, monkeypatch, lost, said
):
    monkeypatch.setattr(cluster_of, "_PATIENCE", 3.0)
    names = [f"{number}.html" for number in range(12 * CLUSTER_CHUNK)]
    write_site(tmp_path, {name: page("A page", "<p>some words</p>" * 300) for name in names})
    root = tmp_path / "public"
    files = [PageFile(root / name, name, f"https://www.marrowfen.example/{name}") for name in names]
    with closing(Cluster(scheduler.scheduler.address)) as cluster:
        read_on = cluster.read(root, READING, files)
        next(read_on)
        if lost == "workers":
            end(scheduler, workers)
        else:
            scheduler.end()
        with pytest.raises(ContentError, match=said):
            list(read_on)
