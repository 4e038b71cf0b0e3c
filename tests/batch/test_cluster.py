"""Work on a real cluster of two workers on this machine, one of which is killed in the middle."""

import contextlib
import os
import signal
import sys

import dask
import pytest
from distributed import Client, LocalCluster

from tests.batch.test_pool import lost, start, work
from vettore.batch import cluster as module
from vettore.batch.cluster import run_on
from vettore.batch.replay import ReplayRequest, go_on, replay
from vettore.core.errors import VettoreError
from vettore.demo.make_data import FOLDER
from vettore.demo.study import demo_study
from vettore.files.study_file import study_bytes

# What the cluster leaves to be collected is not ours.
pytestmark = pytest.mark.filterwarnings("ignore")


@pytest.fixture(scope="module")
def cluster():
    local = {"n_workers": 2, "threads_per_worker": 1, "processes": True, "dashboard_address": "127.0.0.1:0"}
    with (
        # One that was killed is not waited for.
        dask.config.set({"distributed.scheduler.allowed-failures": 1, "distributed.comm.timeouts.connect": "30s"}),
        LocalCluster(**local, memory_limit=0, silence_logs=50) as made,
    ):
        yield made


def test_what_a_killed_worker_was_at_is_done_again(cluster, tmp_path):
    """Each item once, whoever dies; one that kills every worker is said to be lost, and nothing beside it."""
    items = [*range(40), (str(tmp_path), 50, 1), *range(40), (str(tmp_path), 60, 99), *range(5)]
    done = {}
    with Client(cluster.scheduler_address) as client:
        (first, *_) = client.run(os.getpid).values()
        for place, result in run_on(cluster.scheduler_address, work, lost, items, start, (0,)):
            if not done:
                # Unless an item has killed it before.
                with contextlib.suppress(ProcessLookupError):
                    os.kill(first, signal.SIGKILL)
            assert place not in done
            done[place] = result
    squares = [number**2 for number in range(40)]
    assert [done[place] for place in range(len(items))] == [*squares, 2500, *squares, "lost", *squares[:5]]


def test_a_replay_on_a_cluster_is_that_of_one_process(cluster, tmp_path, monkeypatch):
    """The same table to the last bit, failures included, from files named as they were given."""
    monkeypatch.chdir(tmp_path)
    good = (FOLDER / "stage-discharge.tsv").read_bytes()
    for number in range(12):
        (tmp_path / f"run{number}.tsv").write_bytes(good if number % 5 else b"\0broken\0")
    names = [f"run{number}.tsv" for number in range(12)]
    study, options = demo_study(), {"only": "Stage–discharge rating"}
    alone = replay(study, names, **options)
    together = replay(study, names, scheduler=cluster.scheduler_address, **options)
    # As they are written: a number that is none is like itself.
    assert [repr(row) for row in together.rows] == [repr(row) for row in alone.rows]
    assert {row.file for row in together.failed} == {"run0.tsv", "run5.tsv", "run10.tsv"}


def test_a_cluster_without_workers_is_said(monkeypatch):
    """What nobody works on is not waited for without end."""
    monkeypatch.setattr(module, "LOOK", 0.05)
    monkeypatch.setattr(module, "WITHOUT", 0.2)
    none = {"n_workers": 0, "dashboard_address": "127.0.0.1:0", "silence_logs": 50}
    with (
        LocalCluster(**none) as empty,
        pytest.raises(VettoreError, match=r"no worker for 0 s.*start workers"),
    ):
        list(run_on(empty.scheduler_address, work, lost, [1, 2], start, (0,)))


def test_no_scheduler_is_said(tmp_path, monkeypatch):
    """In a sentence that says how to start one; without Dask it says what to install."""
    monkeypatch.setattr(module, "PATIENCE", 1)
    asked = ReplayRequest(study_bytes(demo_study()))
    with pytest.raises(VettoreError, match=r"No scheduler answers at tcp://127\.0\.0\.1:9"):
        go_on(asked, [tmp_path / "a.csv"], "tcp://127.0.0.1:9", None, lambda done, failed: None)
    monkeypatch.setitem(sys.modules, "distributed", None)
    with pytest.raises(VettoreError, match=r"vettore\[cluster\]"):
        go_on(asked, [tmp_path / "a.csv"], "tcp://127.0.0.1:9", None, lambda done, failed: None)
