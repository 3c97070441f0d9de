"""Debian packages, the Python environment from a hashed lock, and the compiled kernels."""

from __future__ import annotations

import fcntl
import glob
import hashlib
import os
import platform
import shutil
import subprocess
import sys
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from ctypes.util import find_library
from pathlib import Path

from ember_launch.places import PYTHON, ROOT, VENV, Stop, clean_environment, is_root, say

COMPILED = 262  # functions that compiling the solver compiles, about: for the share done
CACHES_KEPT = 4  # of other states of the sources, about 6 MB each
SOLVER_PARTS = (("line", "mesh-calls"), ("mesh-stepper",))  # compiled side by side
USUAL_S = {"packages": 40.0, "python": 55.0, "solver": 65.0, "database": 12.0}


def postgres_bin() -> Path | None:
    """Folder of the newest PostgreSQL server that Debian installed."""
    found = [p.parent for p in Path("/usr/lib/postgresql").glob("*/bin/initdb")]
    return max(found, key=lambda p: int(p.parent.name) if p.parent.name.isdigit() else 0) if found else None


def has_venv_module() -> bool:
    """Whether python3 can make environments with pip in them (Debian: python3-venv)."""
    call = [sys.executable, "-c", "import ensurepip, venv"]
    return subprocess.run(call, capture_output=True).returncode == 0


PAPER = (
    ("libpango-1.0-0", "pango-1.0"),
    ("libpangoft2-1.0-0", "pangoft2-1.0"),
    ("libharfbuzz-subset0", "harfbuzz-subset"),
)


TEST_PROGRAMS = (
    ("chromium", "chromium"),
    ("chromium-driver", "chromedriver"),
    ("haproxy", "haproxy"),
    ("openssl", "openssl"),
)


def missing_packages(*, database: bool, browser: bool) -> list[str]:
    """Debian packages that are needed and not there."""
    out = []
    if not PYTHON.exists() and not has_venv_module():
        out.append("python3-venv")
    if database and postgres_bin() is None:
        out.append("postgresql")
    if database:  # what sets the type of cards and lists on paper
        out += [package for package, library in PAPER if find_library(library) is None]
    if browser:
        out += [
            p for p, program in TEST_PROGRAMS if not shutil.which(program) and not Path("/usr/sbin", program).exists()
        ]
    return out


def ensure_packages(*, database: bool = False, browser: bool = False) -> None:
    """Install missing Debian packages as root; otherwise name them with the command, and stop."""
    needed = missing_packages(database=database, browser=browser)
    if not needed:
        return
    command = "apt-get install --no-install-recommends " + " ".join(needed)
    if not is_root() or not shutil.which("apt-get"):
        raise Stop(f"missing Debian packages: {', '.join(needed)}. Install them with: sudo {command}")
    env = {**os.environ, "DEBIAN_FRONTEND": "noninteractive"}

    def apt(*words: str) -> None:
        quietly(["apt-get", "-q", *words], env, f"apt-get failed. Try by hand: {command}")

    apt("update")
    if "postgresql" in needed and not Path("/usr/share/postgresql-common").exists():
        # Debian would create and start a cluster of its own; this machine gets only ours
        apt("install", "-y", "--no-install-recommends", "postgresql-common")
        drop_in = Path("/etc/postgresql-common/createcluster.d/open-ember.conf")
        drop_in.parent.mkdir(parents=True, exist_ok=True)
        drop_in.write_text("# Open Ember runs its own cluster; see its README.\ncreate_main_cluster = false\n")
    apt("install", "-y", "--no-install-recommends", *needed)


def quietly(command: Sequence[str | Path], env: Mapping[str, str], failing: str) -> None:
    """Run a package client; what it says is shown only when it fails, and then what to do."""
    done = subprocess.run(command, env=env, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    if done.returncode:
        raise Stop(f"{done.stdout.strip()}\nember: {failing}")


@contextmanager
def one_at_a_time(path: Path) -> Iterator[None]:
    """Hold a file lock, so that two starts do not set up the same environment at once."""
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        lock = path.open("w")
    except OSError as error:
        raise Stop(
            f"{VENV} cannot be written ({error.strerror}), and something in it has to be made. Let your account write to {ROOT}, "
            "or copy the clone to a folder of your own and start it there."
        ) from None
    with lock as handle:
        fcntl.flock(handle, fcntl.LOCK_EX)
        yield


def _digest(path: Path) -> str:
    return hashlib.sha256(path.read_bytes()).hexdigest()


def python_is_current(*, tests: bool = False) -> bool:
    """Whether ``.venv`` is of this place and holds what the lock says."""
    stamp = VENV / "ember.stamp"
    have = stamp.read_text().splitlines() if stamp.exists() and PYTHON.exists() else []
    run_lock, test_lock = (_digest(ROOT / "requirements" / f"{n}.lock") for n in ("run", "test"))
    return str(VENV) in have and (test_lock in have or (not tests and run_lock in have))


def ensure_python(*, tests: bool = False) -> None:
    """Make ``.venv`` hold exactly what a lock says; done once for each state of the lock."""
    run_lock, test_lock = (ROOT / "requirements" / f"{n}.lock" for n in ("run", "test"))
    wanted = {"run": _digest(run_lock), "test": _digest(test_lock)}
    stamp = VENV / "ember.stamp"

    if python_is_current(tests=tests):
        return
    with one_at_a_time(VENV / "ember.lock"):
        if python_is_current(tests=tests):
            return
        env = clean_environment()
        if stamp.exists() and str(VENV) not in stamp.read_text().splitlines():
            # programs in it begin with the path they were made for
            say("This clone was moved or copied: its Python environment is made anew")
            for old in VENV.iterdir():
                if old.name not in {"ember.lock", "ember.data"}:
                    shutil.rmtree(old) if old.is_dir() and not old.is_symlink() else old.unlink()
        if not PYTHON.exists() or subprocess.run([PYTHON, "-c", "import pip"], capture_output=True, env=env).returncode:
            quietly(
                [sys.executable, "-m", "venv", VENV],
                env,
                "making the Python environment failed; is python3-venv there?",
            )
        lock = test_lock if tests else run_lock
        command: list[str | Path] = [
            PYTHON,
            "-m",
            "pip",
            "install",
            "-q",
            "--disable-pip-version-check",
            "--require-hashes",
            "-r",
            lock,
        ]
        failing = (
            "installing the Python packages failed; is the package registry reachable? Run the command again to go on."
        )
        quietly(command, env, failing)
        stamp.write_text("\n".join([wanted["test" if tests else "run"], str(VENV)]) + "\n")


def kernel_cache() -> Path:
    """Cache folder of the compiled solver, keyed by the folder it is compiled from, the lock and the processor."""
    digest = hashlib.sha256()
    core = ROOT / "src" / "ember_core"
    for source in [core / "constants.py", *sorted((core / "heat").rglob("*.py"))]:
        digest.update(str(source.relative_to(core)).encode() + source.read_bytes())
    digest.update((ROOT / "requirements" / "run.lock").read_bytes())
    cpu = platform.machine()
    info = Path("/proc/cpuinfo")
    if info.exists():
        lines = [line for line in info.read_text().splitlines() if line.startswith(("model name", "flags"))]
        cpu += "".join(sorted(set(lines)))
    digest.update(cpu.encode())
    digest.update(str(ROOT).encode())  # compiled code is found by the path of its source
    return VENV / "kernels" / digest.hexdigest()[:16]


def ensure_kernels(tell: Callable[[float], None] = lambda _share: None) -> Path:
    """Compile the solver once for each state of its sources, on two processors; ``tell`` is told the share done.

    It is compiled in folders that nobody else reads, and put in its place whole by one rename. Caches of other states stay for
    a while: something that was started before a change may still be loading from one.
    """
    cache = kernel_cache()
    if not (cache / "warm").exists():
        with one_at_a_time(cache.parent / f"{cache.name}.lock"):
            if not (cache / "warm").exists():
                making = cache.parent / f"{cache.name}.making"
                shutil.rmtree(making, ignore_errors=True)
                _compile(making, tell)
                (making / "warm").write_text("ok\n")
                shutil.rmtree(cache, ignore_errors=True)  # one that an older version left unfinished
                making.rename(cache)
                _drop_old_caches(cache)
    return cache


def _drop_old_caches(cache: Path) -> None:
    """Keep the newest few caches besides this one."""
    others = [p for p in cache.parent.iterdir() if p.is_dir() and p != cache and p.suffix != ".making"]
    for old in sorted(others, key=lambda p: p.stat().st_mtime)[:-CACHES_KEPT]:
        shutil.rmtree(old, ignore_errors=True)
        (old.parent / f"{old.name}.lock").unlink(missing_ok=True)


def _merge_caches(parts: Sequence[Path], cache: Path) -> None:
    """Put what several processes compiled together. A function that two compiled is taken whole from one: its index names its files."""
    for part in parts:
        for index in part.rglob("*.nbi"):
            folder = cache / index.parent.relative_to(part)
            if (folder / index.name).exists():
                continue
            folder.mkdir(parents=True, exist_ok=True)
            for piece in index.parent.glob(f"{glob.escape(index.stem)}.*.nbc"):
                shutil.copy2(piece, folder)
            shutil.copy2(index, folder)
        shutil.rmtree(part)


def _compile(cache: Path, tell: Callable[[float], None]) -> None:
    env = {**clean_environment(), "NUMBA_CACHE_DIR": str(cache)}
    command: list[str | Path] = [PYTHON, "-m", "ember_cli", "warm", "--count"]
    folders = [cache / f"part-{i}" for i, _ in enumerate(SOLVER_PARTS)]
    running = [
        subprocess.Popen(
            [*command, *parts],
            env={**env, "NUMBA_CACHE_DIR": str(folder)},
            stdout=subprocess.PIPE,
            stderr=subprocess.PIPE,
            text=True,
        )
        for parts, folder in zip(SOLVER_PARTS, folders, strict=True)
    ]
    compiled = 0

    def follow(process: subprocess.Popen[str]) -> None:
        nonlocal compiled
        assert process.stdout is not None
        for _ in process.stdout:
            compiled += 1
            tell(compiled / COMPILED)

    with ThreadPoolExecutor(2 * len(running)) as pool:
        said = [pool.submit(process.stderr.read) for process in running if process.stderr is not None]
        list(pool.map(follow, running))
    failed = [s.result() for s, process in zip(said, running, strict=True) if process.wait()]
    _merge_caches(folders, cache)
    # what neither has made, a third process makes in the folder that is theirs together
    last = subprocess.run(command, env=env, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
    if failed or last.returncode:
        raise Stop(f"{''.join(failed) or last.stderr}\nember: compiling the solver failed; the message above says why.")


def tool_environment() -> dict[str, str]:
    """The environment every Python process of ours runs in.

    Small matrices are worked on by the threads that ask, not by threads of the library's own: on two processors those double
    the time of an egg.
    """
    return {"OPENBLAS_NUM_THREADS": "1", **clean_environment(), "NUMBA_CACHE_DIR": str(kernel_cache())}


def say_if_moved(folder: Path) -> None:
    """When this clone's data were elsewhere before, say how to go on with them; data belong to the clone's path."""
    note = VENV / "ember.data"
    before = note.read_text().strip() if note.exists() else ""
    if before and before != str(folder) and not (folder / "pgdata").exists() and (Path(before) / "pgdata").exists():
        say(
            f"New data are made in {folder}. Those of before are in {before}; to go on with them: EMBER_STATE={before} ./ember …"
        )
    try:
        note.write_text(f"{folder}\n")
    except OSError:
        return  # a read-only clone keeps no note
