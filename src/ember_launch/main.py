"""The commands of ``./ember``."""

from __future__ import annotations

import fcntl
import os
import shutil
import signal
import subprocess
import sys
import tempfile
import urllib.error
import urllib.request
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path

from ember_launch import loading, setup
from ember_launch.account import Account
from ember_launch.attached import is_running, kept_port, last_run, note_running
from ember_launch.cluster import Cluster, database_account, free_port
from ember_launch.places import PYTHON, ROOT, Stop, is_root, say, secret_file, state_dir
from ember_launch.progress import Progress, Step
from ember_launch.supervise import Child, Supervisor
from ember_launch.waiting import waiting_page

PORT = 8750
TYPED_SCRIPTS = (
    "src/ember_web/line",
    "src/ember_web/ui/static/ui",
    "src/ember_web/plans/static",
    "src/ember_web/eggs/static",
    "src/ember_web/logbook/static",
    "tests/scripts",
)
CHECKS = (
    ["ruff", "check", "."],
    ["ruff", "format", "--check", "."],
    ["mypy"],
    ["lint-imports"],
    ["djlint", "src/ember_web", "--check"],
    ["biome", "ci", "."],
    ["deno", "check", "--quiet", *TYPED_SCRIPTS],
    ["deno", "test", "--quiet", "--no-check", "tests/scripts"],
)
USAGE = """usage: ./ember COMMAND

  demo        start Open Ember with the demo kitchen and a simulated probe hub
  run         start Open Ember without demo data (see README: first chef)
  test        set up what the tests need and run them all   [pytest arguments]
  simulate    compute a plan file                            FILE | - [--lines]
  replay      what really happens to a piece, from a cook    FILE | - [--lines]
  read        read a quick entry as a plan                   TEXT [--altitude-m]
  judge       judge a measured log                           FILE --rules … --food … --form …
  bench       speed of the core as a ratio to a reference
  load        a full service against one server, its figures as JSON  [--pieces N --screens N --seconds N --overdue S --kills N]
  shots       renew docs/screenshots from the demo data
  person      people of a kitchen, also while it runs       list | admit | link | unlock | remove | trail
  kitchen     kitchens and their clocks, also while it runs  list | clock [--machine | --at TIME]
  work        do long jobs for a server elsewhere            [--at-once N]
  manage      Django's management commands on the data of `run`
"""


@contextmanager
def only_one(folder: Path) -> Iterator[None]:
    """Refuse to run twice on the same data, and on data that cannot be written."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        lock = (folder / "running.lock").open("a+")
    except OSError as error:
        raise Stop(
            f"data cannot be written to {folder} ({error.strerror}). Give yourself the right to, or set EMBER_STATE to another folder."
        ) from None
    with lock as handle:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            address = (
                (folder / "address").read_text().strip() if (folder / "address").exists() else "an unknown address"
            )
            raise Stop(
                f"already running on this data, at {address}. Stop it there, or set EMBER_STATE to another folder."
            ) from None
        yield


def answers(url: str) -> bool:
    """Whether the address answers with success."""
    try:
        with urllib.request.urlopen(url, timeout=2) as reply:  # noqa: S310 - our own loopback address
            return bool(reply.status == 200)
    except (urllib.error.URLError, OSError):
        return False


def start_database(supervisor: Supervisor, folder: Path, *, throwaway: bool = False) -> Cluster:
    """Create the cluster if needed and start its server under the supervisor."""
    cluster = Cluster(folder, throwaway=throwaway)
    cluster.ensure()
    cluster.port = free_port() if throwaway else kept_port(folder)
    account = database_account()
    log = folder / "postgres.log"
    log.touch()
    supervisor.add(
        Child(
            "database",
            cluster.command,
            log,
            stop_signal=signal.SIGINT,
            ready=cluster.ready,
            account=account,
            before=cluster.stop_leftover,
            env={"PATH": os.environ.get("PATH", ""), "LC_ALL": "C.UTF-8"},
        )
    )
    return cluster


def prepare_database(env: dict[str, str], cluster: Cluster, *words: str | Path) -> None:
    """Make the application's role and database, migrate, and what else ``words`` ask of ``prepare``."""
    call = [PYTHON, "-m", "ember_web.manage", "prepare", *words]
    if subprocess.run(call, env={**env, **cluster.admin_environment()}, stdout=sys.stderr).returncode:
        raise Stop("preparing the database failed; the message above says why.", code=1)


def web_environment(folder: Path, cluster: Cluster, database: str) -> dict[str, str]:
    """Environment of the application's processes."""
    return {
        **setup.tool_environment(),
        **cluster.environment(database),
        "DJANGO_SETTINGS_MODULE": "ember_web.config.settings",
        "EMBER_SECRET_FILE": str(secret_file(folder / "secret-key")),
        "EMBER_STATIC_ROOT": str(folder / "static"),
        "EMBER_DATA": str(folder),
    }


def wanted_port() -> int:
    """EMBER_PORT, or the usual one."""
    text = os.environ.get("EMBER_PORT", str(PORT))
    if not text.isdecimal() or not 1 <= int(text) <= 65535:
        raise Stop(f"EMBER_PORT is {text!r}; give a port from 1 to 65535.")
    return int(text)


def planned(*, tests: bool = False, database: bool = True, solver: bool = True) -> Progress:
    """What has to be set up before a command can run, as steps with their usual lengths."""
    words = {
        "packages": "Installing Debian packages",
        "python": "Installing Python packages",
        "solver": "Compiling the heat solver",
        "database": "Preparing the database",
    }
    wanted = {
        "packages": bool(setup.missing_packages(database=database, browser=tests)),
        "python": not setup.python_is_current(tests=tests),
        "solver": solver and not (setup.kernel_cache() / "warm").exists(),
        "database": database,
    }
    return Progress([Step(name, words[name], setup.USUAL_S[name]) for name, needed in wanted.items() if needed])


def set_up(progress: Progress, *, tests: bool = False, database: bool = True, solver: bool = True) -> None:
    """Do the steps that are not done: packages of Debian and of Python side by side where they can be, then the solver."""
    if setup.missing_packages(database=False, browser=False):  # without them no Python environment is made
        with progress.step("packages"):
            setup.ensure_packages(database=database, browser=tests)
    with ThreadPoolExecutor(1) as pool:
        debian = None
        if setup.missing_packages(database=database, browser=tests):
            debian = pool.submit(_debian_packages, progress, database, tests)
        if not setup.python_is_current(tests=tests):
            with progress.step("python"):
                setup.ensure_python(tests=tests)
        if debian is not None and debian.done():
            debian.result()  # what is wrong is told before the solver is compiled
        if solver and not (setup.kernel_cache() / "warm").exists():
            with progress.step("solver") as step:

                def tell(share: float) -> None:
                    step.share = share

                setup.ensure_kernels(tell)
        if debian is not None:
            debian.result()


def _debian_packages(progress: Progress, database: bool, browser: bool) -> None:
    with progress.step("packages"):
        setup.ensure_packages(database=database, browser=browser)


def serve(*, demo: bool) -> int:
    """Start everything, print the address, stay until Ctrl-C."""
    folder = state_dir()
    wanted = wanted_port()
    with only_one(folder):
        port = free_port(wanted)
        if port != wanted:
            say(f"Port {wanted} cannot be used: it is taken, or kept for root. Using {port}.")
        address = f"http://127.0.0.1:{port}"
        (folder / "address").write_text(address + "\n")
        supervisor = Supervisor()
        try:
            progress = planned()
            with waiting_page(port, progress), progress.shown():
                if len(progress.steps) > 1:
                    say(f"Setting up; {address} answers already and shows how far it is")
                set_up(progress)
                with progress.step("database"):
                    env, account, token = _prepared(supervisor, folder, address, demo=demo)
            supervisor.add(web_server(address, port, folder, env, account))
            supervisor.add(job_worker(folder, env, account))
            if demo:
                supervisor.add(
                    probe_hub(address, token, folder, account.environment(folder, setup.tool_environment()), account)
                )
            print(f"Open Ember is at {address}", flush=True)
            if demo:
                print("Demo sign-ins (kitchen Brackenfold Hut), password for all: brackenfold", flush=True)
                print("  chef · grill · larder · morning · viewer      and of another kitchen: other-chef", flush=True)
            else:
                print("First chef: ./ember manage create_kitchen --help", flush=True)
            print("Ctrl-C stops it; data stay.", flush=True)
            supervisor.watch()
            say("Stopping")
        finally:
            supervisor.stop()
    return 0


def _prepared(
    supervisor: Supervisor, folder: Path, address: str, *, demo: bool
) -> tuple[dict[str, str], Account, Path]:
    """Start the database and bring it up to date: the application's environment, its account, and the hub's token file."""
    setup.say_if_moved(folder)
    cluster = start_database(supervisor, folder)
    database = "ember_demo" if demo else "ember"
    env = web_environment(folder, cluster, database)
    hub = folder / "hub"
    hub.mkdir(exist_ok=True)
    token = hub / "token"
    words: list[str | Path] = ["--demo", "--hub-token-file", token] if demo else []
    prepare_database(env, cluster, *words)
    note_running(folder, port=cluster.port, database=database, address=address)
    account = Account()
    account.own(folder / "secret-key", cluster.application_password_file, hub)
    return account.environment(folder, env), account, token


@contextmanager
def throwaway(
    name: str, database: str, *, browser: bool = True, durable: bool = False, **more: str
) -> Iterator[tuple[Supervisor, dict[str, str], Path]]:
    """A database cluster of its own for one command, gone afterwards: supervisor, environment (with ``more``), folder.

    ``durable``: it stores as in service; else nothing of it would outlive a power cut.
    """
    progress = planned(tests=browser)
    progress.drop("database")
    with progress.shown():
        set_up(progress, tests=browser)
    base = Path("/var/lib/open-ember") if is_root() else Path(tempfile.gettempdir())
    base.mkdir(parents=True, exist_ok=True)
    folder = Path(tempfile.mkdtemp(prefix=f"{name}-", dir=base))
    folder.chmod(0o755)
    supervisor = Supervisor()
    try:
        cluster = start_database(supervisor, folder, throwaway=not durable)
        env = {**web_environment(folder, cluster, database), **cluster.admin_environment(), **more}
        Path(env["EMBER_STATIC_ROOT"]).mkdir()
        prepare_database(env, cluster, "--database-only")
        yield supervisor, env, folder
    finally:
        supervisor.stop()
        shutil.rmtree(folder, ignore_errors=True)


def test(arguments: list[str]) -> int:
    """Static checks and all tests, on a throw-away database cluster."""
    # what a test finds does not hang on what else the machine does meanwhile
    with throwaway("test", "ember", EMBER_TEST="1", EMBER_PATIENCE_S="120") as (_, env, _folder):
        failed = []

        def run(words: list[str], call: list[str | Path]) -> None:
            if subprocess.run(call, cwd=ROOT, env=env).returncode:
                failed.append(" ".join(words))

        if not arguments:
            for words in CHECKS:
                say(f"$ {' '.join(words)}")
                run(words, [PYTHON.parent / words[0], *words[1:]])
        quick = ["-n", "2", "--dist", "worksteal", "-m", "not browser"]
        # what a person sees within 2 s is measured alone: the other tests would take the processor from it
        for words in (
            [arguments]
            if arguments
            else [[*quick, "-q", "--durations", "5"], ["-m", "browser", "-q", "--durations", "8"]]
        ):
            run(["pytest", *words], [PYTHON, "-m", "pytest", *words])
        for call in failed:
            say(f"Failed: {call}")
        return 1 if failed else 0


def command_line(arguments: list[str]) -> int:
    """simulate, judge, bench: the Python environment and, for what computes, the solver."""
    solver = arguments[0] in {"bench", "simulate", "replay", "read"}
    progress = planned(database=False, solver=solver)
    with progress.shown():
        set_up(progress, database=False, solver=solver)
    module = ["tools.benchmark"] if arguments[0] == "bench" else ["ember_cli", *arguments]
    # files are named from where the command is given; the benchmark names none
    folder = ROOT if arguments[0] == "bench" else None
    return subprocess.run([PYTHON, "-m", *module], env=setup.tool_environment(), cwd=folder).returncode


def manage(arguments: list[str], database: str = "ember") -> int:
    """A management command: beside what runs, on its data; else with the database started for it."""
    progress = planned(solver=False)
    progress.drop("database")
    with progress.shown():
        set_up(progress, solver=False)
    folder = state_dir()
    call: list[str | Path] = [PYTHON, "-m", "ember_web.manage", *arguments]
    known = last_run(folder)
    if known and is_running(folder):
        cluster = Cluster(folder)
        cluster.port = known["port"]
        env = web_environment(folder, cluster, known["database"])
        return subprocess.run(call, env=env | {"EMBER_ADDRESS": known["address"]}).returncode
    with only_one(folder):
        supervisor = Supervisor()
        try:
            cluster = start_database(supervisor, folder)
            env = web_environment(folder, cluster, database)
            prepare_database(env, cluster)
            return subprocess.run(call, env=env).returncode
        finally:
            supervisor.stop()


def people_and_kitchens(words: list[str]) -> int:
    """``person`` and ``kitchen``, on the data that run or ran last."""
    return manage(words, last_run(state_dir()).get("database", "ember"))


def shots(arguments: list[str]) -> int:
    """Renew the screenshots on a throw-away copy of the demo."""
    with throwaway("shots", "ember_shots") as (supervisor, env, folder):
        token = folder / "hub-token"
        prepare: list[str | Path] = [PYTHON, "-m", "ember_web.manage", "prepare", "--demo", "--hub-token-file", token]
        subprocess.run(prepare, env=env, stdout=sys.stderr, check=True)
        port = free_port()
        address = f"http://127.0.0.1:{port}"
        supervisor.add(web_server(address, port, folder, env))
        return subprocess.run(
            [PYTHON, "-m", "tools.shots", address, str(token), *arguments], env=env, cwd=ROOT
        ).returncode


def load(arguments: list[str]) -> int:
    """A full service against a server of its own, on a database of its own; prints JSON."""
    asked = loading.options(arguments)
    with throwaway("load", "ember_load", browser=False, durable=True) as (supervisor, env, folder):
        port = free_port()
        address = f"http://127.0.0.1:{port}"
        return loading.run(asked, supervisor, env, folder, address, web_server(address, port, folder, env))


def web_server(address: str, port: int, folder: Path, env: dict[str, str], account: Account | None = None) -> Child:
    """The application server as a child process."""
    words = [
        str(PYTHON), "-m", "uvicorn", "ember_web.config.asgi:application", "--host", "127.0.0.1", "--port", str(port),
        "--timeout-graceful-shutdown", "3", "--no-access-log", "--lifespan", "off", *proxy_words(),
    ]  # fmt: skip
    command = words if account is None else account.words(words)
    return Child("server", lambda: command, folder / "server.log", env=env, ready=lambda: answers(f"{address}/healthz"))


def job_worker(folder: Path, env: dict[str, str], account: Account | None = None) -> Child:
    """What does long jobs, as a child process; it is ended at once, and whatever it had begun is begun again by the next."""
    words = [str(PYTHON), "-m", "ember_web.manage", "work"]
    command = words if account is None else account.words(words)
    return Child("worker", lambda: command, folder / "worker.log", env=env, stop_signal=signal.SIGKILL)


def work(arguments: list[str]) -> int:
    """Long jobs alone, for a server elsewhere: its database is told by the environment, see docs/operations."""
    if not os.environ.get("EMBER_DB_HOST") or not os.environ.get("EMBER_DB_PASSWORD_FILE"):
        raise Stop(
            "./ember work needs EMBER_DB_HOST and EMBER_DB_PASSWORD_FILE: where the server's database is, see docs/operations."
        )
    progress = planned(database=False)
    with progress.shown():
        set_up(progress, database=False)
    given = {name: value for name, value in os.environ.items() if name.startswith("EMBER_")}
    env = {**setup.tool_environment(), "DJANGO_SETTINGS_MODULE": "ember_web.config.settings", **given}
    return subprocess.run([PYTHON, "-m", "ember_web.manage", "work", *arguments], env=env).returncode


def proxy_words() -> list[str]:
    """Whose word counts for where a request comes from: nobody's, unless EMBER_PROXIES names the proxies in front."""
    trusted = os.environ.get("EMBER_PROXIES", "").replace(",", " ").split()
    return ["--proxy-headers", "--forwarded-allow-ips", ",".join(trusted)] if trusted else ["--no-proxy-headers"]


def probe_hub(address: str, token: Path, folder: Path, env: dict[str, str], account: Account) -> Child:
    """The simulated probe hub as a child process."""
    words = [
        str(PYTHON), "-m", "ember_sim.hub", "--url", address, "--token-file", str(token),
        "--spool", str(token.parent / "spool.sqlite"),
    ]  # fmt: skip
    command = account.words(words)
    return Child("probe hub", lambda: command, folder / "hub.log", env=env)


def main(argv: list[str] | None = None) -> int:
    """Run one command of the launcher."""
    words = sys.argv[1:] if argv is None else argv
    if not words or words[0] in {"-h", "--help", "help"}:
        print(USAGE)
        return 0 if words else 2
    name, rest = words[0], words[1:]
    commands = {
        "demo": lambda: serve(demo=True),
        "run": lambda: serve(demo=False),
        "test": lambda: test(rest),
        "shots": lambda: shots(rest),
        "load": lambda: load(rest),
        "manage": lambda: manage(rest),
        "work": lambda: work(rest),
        **dict.fromkeys(("person", "kitchen"), lambda: people_and_kitchens(words)),
        **dict.fromkeys(("simulate", "replay", "read", "judge", "bench"), lambda: command_line(words)),
    }
    if name in commands:
        try:
            return commands[name]()
        except KeyboardInterrupt:
            say("Stopped")
            return 130
    say(USAGE)
    raise Stop(f"unknown command {name!r}.")
