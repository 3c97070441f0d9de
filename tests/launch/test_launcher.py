"""The launcher: what it refuses, what it keeps alive, what it never touches."""

from __future__ import annotations

import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from ember_launch import main, setup
from ember_launch.account import Account
from ember_launch.attached import NOTE, is_running, kept_port, last_run, note_running
from ember_launch.cluster import Cluster, free_port
from ember_launch.places import ROOT
from ember_launch.supervise import Child, Supervisor, rotate


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
    core = ROOT / "src" / "ember_core"
    compiled = {p for p in core.rglob("*.py") if "solver.compiled import" in p.read_text()}
    assert {p.parent.name for p in compiled} <= {"heat", "solver", "ensemble"}
    real = Path.read_bytes
    for name in ("constants.py", "schedule.py", "mesh.py"):
        with monkeypatch.context() as patch:
            patch.setattr(Path, "read_bytes", lambda p, name=name: real(p) + (b"#" if p.name == name else b""))
            assert setup.kernel_cache() != before
    assert setup.kernel_cache() == before


def test_locks_hold_hashes_and_no_hosts():
    """Every requirement is pinned with hashes; no registry is named."""
    for name in ("run", "test"):
        text = (ROOT / "requirements" / f"{name}.lock").read_text()
        assert "--hash=sha256:" in text
        assert "://" not in text
        assert "index-url" not in text


def test_one_childs_wait_does_not_hold_up_another(tmp_path):
    """While one that keeps ending waits for its turn, another that was killed is back at once."""
    supervisor = Supervisor()
    broken = Child("broken", lambda: [sys.executable, "-c", "raise SystemExit(3)"], tmp_path / "a.log")
    steady = Child("steady", lambda: ["sleep", "60"], tmp_path / "b.log")
    broken.start()
    broken.failures = 6
    supervisor.children = [broken, steady]
    steady.start()
    first = steady.process.pid
    threading.Timer(0.6, steady.process.kill).start()
    threading.Timer(2.1, lambda: setattr(supervisor, "ending", True)).start()
    began = time.monotonic()
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(signal, "signal", lambda *_: None)
        supervisor.watch()
    try:
        assert steady.process.pid != first
        assert steady.started - began < 0.6 + 1.0  # and not the two seconds that the other waits
        assert broken.due is not None  # still waiting, no more than two seconds in all
        assert broken.due - time.monotonic() < 2.0
    finally:
        supervisor.stop()


def test_a_child_that_cannot_be_started_is_tried_again(tmp_path):
    """No room for its log, or its program gone: said, and the launcher lives on."""
    child = Child("lost", lambda: ["/nonexistent/program"], tmp_path / "a.log")
    child.process = subprocess.Popen(["true"])
    child.process.wait()
    child.look(100.0)
    child.look(200.0)
    assert child.due == pytest.approx(202.0)


def test_logs_are_rotated_in_place(tmp_path):
    """Beyond its size a log is put aside; its writer goes on in the same file; three old ones are kept."""
    log = tmp_path / "server.log"
    with log.open("ab") as writer:
        for turn in range(6):
            writer.write(b"%d" % turn * 2000)
            writer.flush()
            assert rotate(log, most=1000)
            assert log.stat().st_size == 0
            assert not rotate(log, most=1000)
    kept = sorted(p.name for p in tmp_path.iterdir())
    assert kept == ["server.log", "server.log.1", "server.log.2", "server.log.3"]
    assert [(tmp_path / f"server.log.{i}").read_bytes()[:1] for i in (1, 2, 3)] == [b"5", b"4", b"3"]


def test_data_that_cannot_be_written_stop_with_the_remedy(tmp_path, capsys):
    """A file where the folder should be: one sentence, no traceback."""
    (tmp_path / "state").write_text("x")
    with pytest.raises(SystemExit), main.only_one(tmp_path / "state" / "deeper"):
        pass
    assert "set EMBER_STATE to another folder" in capsys.readouterr().err


@pytest.mark.parametrize("port", ["0", "65536", "http", "-1", "8750.5", ""])
def test_bad_ports_are_refused(monkeypatch, port):
    """By name, before anything is started."""
    monkeypatch.setenv("EMBER_PORT", port)
    with pytest.raises(SystemExit):
        main.wanted_port()


def test_a_moved_clone_makes_its_environment_anew(tmp_path, monkeypatch, capsys):
    """The environment of another path is emptied and made again; data of before are named, not lost."""
    venv = tmp_path / ".venv"
    (venv / "bin").mkdir(parents=True)
    (venv / "bin" / "python").write_text("")
    (venv / "bin" / "old-program").write_text("#!/elsewhere")
    (venv / "ember.stamp").write_text("digest\n/elsewhere/.venv\n")
    (venv / "ember.data").write_text(str(tmp_path / "before"))
    (tmp_path / "before" / "pgdata").mkdir(parents=True)
    calls = []

    def call(words, **_):
        calls.append([str(w) for w in words])
        return subprocess.CompletedProcess(words, 0, "")

    monkeypatch.setattr(setup, "VENV", venv)
    monkeypatch.setattr(setup, "PYTHON", venv / "bin" / "python")
    monkeypatch.setattr(setup.subprocess, "run", call)
    setup.ensure_python()
    assert not (venv / "bin" / "old-program").exists()
    assert calls[0][1:3] == ["-m", "venv"]
    assert "moved or copied" in capsys.readouterr().err
    done = len(calls)
    (venv / "bin").mkdir(exist_ok=True)
    (venv / "bin" / "python").write_text("")
    setup.ensure_python()
    assert len(calls) == done
    setup.say_if_moved(tmp_path / "now")
    assert f"EMBER_STATE={tmp_path / 'before'}" in capsys.readouterr().err
    setup.say_if_moved(tmp_path / "now")
    assert capsys.readouterr().err == ""


def test_a_read_only_clone_stops_with_the_remedy(tmp_path, capsys):
    """Something has to be made and cannot be: a sentence."""
    (tmp_path / "file").write_text("")
    with pytest.raises(SystemExit), setup.one_at_a_time(tmp_path / "file" / "lock"):
        pass
    assert "cannot be written" in capsys.readouterr().err


@pytest.mark.skipif(not main.is_root(), reason="only root changes accounts")
def test_started_by_root_the_application_is_not_root():
    """Another account, no groups of root's, nothing it may write but its own, no way to gain more."""
    with tempfile.TemporaryDirectory(dir="/var/tmp") as folder:
        Path(folder).chmod(0o755)
        _check_account(Path(folder))


def _check_account(folder):
    account = Account()
    own, foreign = folder / "own", folder / "foreign"
    own.mkdir()
    foreign.mkdir(mode=0o700)
    account.own(own)
    program = (
        "import os, json; s = dict(l.split(':\\t') for l in open('/proc/self/status').read().splitlines() if ':\\t' in l)\n"
        f"open({str(own / 'x')!r}, 'w')\n"
        "try:\n"
        f"    open({str(foreign / 'x')!r}, 'w'); wrote = True\n"
        "except OSError:\n"
        "    wrote = False\n"
        "print(json.dumps([os.getuid(), os.getgroups(), wrote, s['NoNewPrivs'].strip(), int(s['CapEff'], 16)]))"
    )
    done = subprocess.run(
        account.words([sys.executable, "-c", program]), capture_output=True, text=True, cwd="/", check=True
    )
    uid, groups, wrote, no_new, capabilities = json.loads(done.stdout)
    assert uid == account.row.pw_uid != 0
    assert (groups, wrote, no_new) == ([], False, "1")
    assert capabilities in {0, 1 << 2}  # nothing, or to read


def test_whose_word_counts_for_where_a_request_comes_from(monkeypatch):
    """Nobody's, unless proxies are named."""
    monkeypatch.delenv("EMBER_PROXIES", raising=False)
    assert main.proxy_words() == ["--no-proxy-headers"]
    monkeypatch.setenv("EMBER_PROXIES", "10.0.0.1, 10.0.0.2")
    assert main.proxy_words()[-1] == "10.0.0.1,10.0.0.2"


def test_package_clients_are_heard_only_when_they_fail(capfd):
    """What they warn of is nobody's business while all goes well."""
    setup.quietly(["sh", "-c", "echo a warning; echo another >&2"], os.environ, "it failed")
    assert capfd.readouterr() == ("", "")
    with pytest.raises(SystemExit):
        setup.quietly(["sh", "-c", "echo why >&2; exit 3"], os.environ, "it failed. Do this.")
    said = capfd.readouterr().err
    assert "why" in said
    assert "it failed. Do this." in said


def test_the_compiled_solver_is_put_in_its_place_whole(tmp_path, monkeypatch):
    """Whoever looks meanwhile finds none or all of it; one that was left unfinished is made anew; older ones stay a while."""
    cache, seen = tmp_path / "kernels" / "now", []

    def compile_it(folder, _tell):
        folder.mkdir(parents=True)
        seen.append(cache.exists() and (cache / "warm").exists())
        (folder / "a.nbi").write_text("whole")

    monkeypatch.setattr(setup, "kernel_cache", lambda: cache)
    monkeypatch.setattr(setup, "_compile", compile_it)
    for i in range(7):
        (tmp_path / "kernels" / f"old{i}").mkdir(parents=True)
    (cache / "half").mkdir(parents=True)
    (tmp_path / "kernels" / "now.making").mkdir()
    with ThreadPoolExecutor(3) as pool:
        assert {str(p) for p in pool.map(lambda _: setup.ensure_kernels(), range(3))} == {str(cache)}
    assert seen == [False]
    assert sorted(p.name for p in cache.iterdir()) == ["a.nbi", "warm"]
    assert len([p for p in cache.parent.iterdir() if p.is_dir()]) == 1 + setup.CACHES_KEPT


def test_what_two_processes_compiled_is_merged_function_by_function(tmp_path):
    """An index names its data files by number: of a function that both made, index and data come from one."""
    for part, functions in (("part-0", ("f", "g")), ("part-1", ("g", "h"))):
        folder = tmp_path / part / "solver_x"
        folder.mkdir(parents=True)
        for function in functions:
            for name in (f"m.{function}-1.py311.nbi", f"m.{function}-1.py311.1.nbc"):
                (folder / name).write_text(f"{function} of {part}")
    setup._merge_caches([tmp_path / "part-0", tmp_path / "part-1"], tmp_path)
    found = {p.name: p.read_text() for p in (tmp_path / "solver_x").iterdir()}
    assert len(found) == 6
    assert {v for k, v in found.items() if ".g-" in k} == {"g of part-0"}
    assert not (tmp_path / "part-0").exists()


def test_commands_find_what_runs_beside_them(tmp_path):
    """The note of the last run stays; a broken one is none; the database keeps its port where it is free."""
    assert last_run(tmp_path) == {}
    assert not is_running(tmp_path)
    port = free_port()
    note_running(tmp_path, port=port, database="ember_demo", address="http://127.0.0.1:1")
    assert last_run(tmp_path) == {"port": port, "database": "ember_demo", "address": "http://127.0.0.1:1"}
    assert kept_port(tmp_path) == port
    with socket.socket() as taken:
        taken.bind(("127.0.0.1", port))
        taken.listen()
        assert kept_port(tmp_path) != port
    with main.only_one(tmp_path):
        assert is_running(tmp_path)
    assert not is_running(tmp_path)
    for text in ("", "[]", "{}", "not json"):
        (tmp_path / NOTE).write_text(text)
        assert last_run(tmp_path) == {}
