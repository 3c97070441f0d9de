"""Our own PostgreSQL cluster on loopback: made, started and stopped here, and no other is touched."""

from __future__ import annotations

import os
import pwd
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Mapping
from pathlib import Path

from ember_launch.places import Stop, is_root, say, secret_file
from ember_launch.setup import postgres_bin

SUPERUSER = "ember"
APPLICATION = "ember_app"  # owns the application's database, and may do nothing else


def free_port(preferred: int = 0) -> int:
    """A free loopback port, the preferred one when it is free."""
    for port in (preferred, 0):
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind(("127.0.0.1", port))
            except OSError:
                continue
            return int(probe.getsockname()[1])
    raise Stop("no free loopback port.")


def database_account() -> dict[str, object]:
    """Popen arguments that run a server as an ordinary account: PostgreSQL refuses to run as root."""
    if not is_root():
        return {}
    account = pwd.getpwnam("postgres")
    return {"user": account.pw_uid, "group": account.pw_gid, "extra_groups": []}


class Cluster:
    """One cluster in ``folder``; ``throwaway`` trades durability for speed, for tests."""

    def __init__(self, folder: Path, *, throwaway: bool = False) -> None:
        self.folder = folder
        self.data = folder / "pgdata"
        self.throwaway = throwaway
        self.port = 0
        self.bin = postgres_bin()
        if self.bin is None:
            raise Stop(
                "PostgreSQL's server is not installed. Install it with: sudo apt-get install --no-install-recommends postgresql"
            )

    @property
    def password_file(self) -> Path:
        """The superuser's random password, readable by the owner only."""
        return self.folder / "database-password"

    def ensure(self) -> None:
        """Create the cluster if it is not there."""
        self.folder.mkdir(parents=True, exist_ok=True)
        if (self.data / "PG_VERSION").exists():
            return
        assert self.bin is not None
        say("Creating the database cluster")
        if self.data.exists():
            shutil.rmtree(self.data)  # an initdb that was cut short
        self.data.mkdir(mode=0o700)
        secret_file(self.password_file)
        handover = self.folder / "initdb-password"
        handover.touch(mode=0o600)
        handover.write_text(self.password_file.read_text())
        if is_root():
            account = pwd.getpwnam("postgres")
            for path in (self.data, handover):
                os.chown(path, account.pw_uid, account.pw_gid)
        command = [
            self.bin / "initdb",
            "-D",
            self.data,
            "-U",
            SUPERUSER,
            "-A",
            "scram-sha-256",
            f"--pwfile={handover}",
            "-E",
            "UTF8",
            "--locale=C.UTF-8",
            "--no-instructions",
            *(["--no-sync"] if self.throwaway else []),
        ]
        done = subprocess.run(command, capture_output=True, text=True, cwd="/", **database_account())  # type: ignore[call-overload]
        handover.unlink()
        if done.returncode:
            raise Stop(f"initdb failed: {done.stderr.strip() or done.stdout.strip()}")

    def stop_leftover(self) -> None:
        """Stop a server of this very data folder that an earlier, killed launcher left behind."""
        pid_file = self.data / "postmaster.pid"
        if not pid_file.exists():
            return
        try:
            pid = int(pid_file.read_text().split()[0])
            command = Path(f"/proc/{pid}/cmdline").read_bytes().decode(errors="replace")
        except (OSError, ValueError, IndexError):
            return
        if str(self.data) in command:
            os.kill(pid, signal.SIGINT)
            for _ in range(100):
                if not Path(f"/proc/{pid}").exists():
                    return
                time.sleep(0.1)

    def command(self) -> list[str]:
        """The server's command line: loopback only, no socket file."""
        assert self.bin is not None
        options = {
            "listen_addresses": "127.0.0.1",
            "unix_socket_directories": "",
            "port": str(self.port),
            "max_connections": "60",
            "timezone": "UTC",
            "log_timezone": "UTC",
        }
        if self.throwaway:
            options |= {"fsync": "off", "synchronous_commit": "off", "full_page_writes": "off"}
        return [
            str(self.bin / "postgres"),
            "-D",
            str(self.data),
            *(w for k, v in options.items() for w in ("-c", f"{k}={v}")),
        ]

    def ready(self) -> bool:
        """Whether the server answers."""
        assert self.bin is not None
        call: list[str | Path] = [self.bin / "pg_isready", "-q", "-h", "127.0.0.1", "-p", str(self.port)]
        return subprocess.run(call, capture_output=True, cwd="/").returncode == 0

    @property
    def application_password_file(self) -> Path:
        """The application role's random password, readable by the application's account only."""
        return secret_file(self.folder / "application-password")

    def environment(self, name: str) -> Mapping[str, str]:
        """What the application needs to reach database ``name``."""
        return {
            "EMBER_DB_HOST": "127.0.0.1",
            "EMBER_DB_PORT": str(self.port),
            "EMBER_DB_NAME": name,
            "EMBER_DB_USER": APPLICATION,
            "EMBER_DB_PASSWORD_FILE": str(self.application_password_file),
        }

    def admin_environment(self) -> Mapping[str, str]:
        """What preparing the database needs besides; no server process gets it."""
        return {"EMBER_DB_ADMIN": SUPERUSER, "EMBER_DB_ADMIN_PASSWORD_FILE": str(self.password_file)}
