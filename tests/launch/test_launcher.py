"""The launcher: what it refuses, what it keeps alive, what it never touches."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest

from ember_launch import main, setup
from ember_launch.cluster import Cluster, free_port
from ember_launch.places import ROOT
from ember_launch.supervise import Child, Supervisor


def test_missing_packages_without_root_are_named_with_the_command(monkeypatch, capsys):
    """Without root and with packages missing: their names, the command, and a stop."""
    monkeypatch.setattr(setup, "postgres_bin", lambda: None)
    monkeypatch.setattr(setup, "is_root", lambda: False)
    monkeypatch.setattr(setup.shutil, "which", lambda _name: None)
    with pytest.raises(SystemExit) as stopped:
        setup.ensure_packages(database=True, browser=True)
    said = capsys.readouterr().err
    assert stopped.value.code == 2
    assert "sudo apt-get install --no-install-recommends postgresql chromium chromium-driver" in said


def test_a_taken_port_is_left_alone():
    """Another free port is taken."""
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        taken = other.getsockname()[1]
        assert free_port(taken) != taken


def test_the_same_data_cannot_be_run_twice(tmp_path):
    """A second launcher on the same data stops and says where the first one is."""
    (tmp_path / "address").write_text("http://127.0.0.1:1\n")
    with main.only_one(tmp_path), pytest.raises(SystemExit), main.only_one(tmp_path):
        pass


def test_unknown_commands_and_help(capsys):
    """Help on standard output; an unknown command stops."""
    assert main.main(["--help"]) == 0
    assert "demo" in capsys.readouterr().out
    with pytest.raises(SystemExit):
        main.main(["fry"])


def test_a_killed_child_comes_back_and_all_end_together(tmp_path):
    """Restarted after a kill; stopped by the end of the watch."""
    supervisor = Supervisor()
    child = supervisor.add(
        Child("sleeper", lambda: [sys.executable, "-c", "import time; time.sleep(600)"], tmp_path / "log")
    )
    first = child.process.pid
    real = signal.signal
    watcher = threading.Thread(target=supervisor.watch)
    try:
        signal.signal = lambda *_a: None  # only the main thread may set handlers
        watcher.start()
        os.kill(first, signal.SIGKILL)
        end = time.monotonic() + 20
        while (child.process.pid == first or child.process.poll() is not None) and time.monotonic() < end:
            time.sleep(0.1)
        assert child.process.pid != first
        assert child.process.poll() is None
    finally:
        supervisor.ending = True
        watcher.join(20)
        signal.signal = real
        supervisor.stop()
    assert child.process.poll() is not None


def test_a_child_that_cannot_start_shows_its_log(tmp_path, capsys):
    """The end of its log is said."""
    with pytest.raises(SystemExit):
        Supervisor().add(
            Child(
                "broken",
                lambda: [sys.executable, "-c", "raise SystemExit('no flour')"],
                tmp_path / "log",
                ready=lambda: False,
            )
        )
    assert "no flour" in capsys.readouterr().err


def test_leftover_of_another_cluster_is_not_touched(tmp_path):
    """A process whose command line is not our data folder's is left alone, whatever the pid file says."""
    cluster = Cluster(tmp_path)
    cluster.data.mkdir()
    with subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)"]) as bystander:
        (cluster.data / "postmaster.pid").write_text(f"{bystander.pid}\n")
        cluster.stop_leftover()
        assert bystander.poll() is None
        bystander.kill()


def test_the_cluster_is_loopback_without_socket_files(tmp_path):
    """No socket file, loopback only, a password for everybody."""
    command = " ".join(Cluster(tmp_path).command())
    assert "listen_addresses=127.0.0.1" in command
    assert "unix_socket_directories= " in command


def test_kernel_cache_follows_its_sources(tmp_path, monkeypatch):
    """Another kernel source, another cache: numba does not see a changed callee in another file."""
    before = setup.kernel_cache()
    heat = ROOT / "src/ember_core/heat"
    compiled = {p.name for p in heat.glob("*.py") if "njit" in p.read_text() or "@leaf" in p.read_text()}
    assert compiled <= set(setup.KERNEL_SOURCES)
    assert all((heat / name).exists() for name in setup.KERNEL_SOURCES)
    real = Path.read_bytes
    monkeypatch.setattr(Path, "read_bytes", lambda p: real(p) + (b"#" if p.name == "program.py" else b""))
    assert setup.kernel_cache() != before


def test_locks_hold_hashes_and_no_hosts():
    """Every requirement is pinned with hashes; no registry is named."""
    for name in ("run", "test"):
        text = (ROOT / "requirements" / f"{name}.lock").read_text()
        assert "--hash=sha256:" in text
        assert "://" not in text
        assert "index-url" not in text
