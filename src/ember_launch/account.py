"""The ordinary account that the application runs as when it is started by root."""

from __future__ import annotations

import os
import pwd
import shutil
import subprocess
from collections.abc import Mapping, Sequence
from pathlib import Path

from ember_launch.places import PYTHON, ROOT, Stop, is_root, say

NAME = "open-ember"
READING = "dac_read_search"  # may read what stands in another's home, such as a clone below /root; no more than that


class Account:
    """Who the application runs as: ourselves, or the account :data:`NAME` when we are root.

    A clone or an interpreter in root's own home cannot be read by others. Then the account keeps one
    capability, to read files; it can still write nothing but its own.
    """

    def __init__(self) -> None:
        self.row: pwd.struct_passwd | None = _account() if is_root() else None
        self.reads_all = False
        if self.row is not None and not self._can_import():
            self.reads_all = True
            if not self._can_import():
                raise Stop(
                    f"the account {NAME} cannot read {ROOT}. Move the clone to a folder that all may read, such as /opt, "
                    "or start Open Ember as an ordinary user."
                )
            say(
                f"The account {NAME} may read files it does not own, because {ROOT} or {PYTHON.resolve()} is not open to all."
            )

    def words(self, command: Sequence[str | Path], ending: str = "SIGTERM") -> list[str]:
        """The command as this account's; it ends with its parent."""
        plain = [str(w) for w in command]
        if self.row is None:
            return plain
        caps = f"-all,+{READING}" if self.reads_all else "-all"
        return [
            "setpriv", "--reuid", str(self.row.pw_uid), "--regid", str(self.row.pw_gid), "--clear-groups", "--no-new-privs",
            f"--inh-caps={caps}", f"--ambient-caps={caps}", f"--bounding-set={caps}", "--pdeathsig", ending, "--", *plain,
        ]  # fmt: skip

    def own(self, *paths: Path) -> None:
        """Give files and folders (with all in them) to the account."""
        if self.row is None:
            return
        for path in paths:
            for each in [path, *(path.rglob("*") if path.is_dir() and not path.is_symlink() else ())]:
                os.chown(each, self.row.pw_uid, self.row.pw_gid, follow_symlinks=False)

    def environment(self, folder: Path, env: Mapping[str, str]) -> dict[str, str]:
        """The environment for its processes: a home and a copy of the compiled solver that it may write to."""
        kernels = Path(env["NUMBA_CACHE_DIR"])
        if self.row is None and os.access(kernels, os.W_OK):
            return dict(env)
        copy = folder / "kernels" / kernels.name
        if not (copy / "warm").exists():
            shutil.rmtree(folder / "kernels", ignore_errors=True)
            shutil.copytree(kernels, copy)
            self.own(folder / "kernels")
        if self.row is None:
            return {**env, "NUMBA_CACHE_DIR": str(copy)}
        return {**env, "NUMBA_CACHE_DIR": str(copy), "HOME": str(folder), "PYTHONDONTWRITEBYTECODE": "1"}

    def _can_import(self) -> bool:
        # an interpreter whose own library cannot be read takes another one of about its version: that is none
        program = "import sys, ember_web, numpy; print(sys.base_prefix)"
        env = {"PATH": os.environ.get("PATH", ""), "PYTHONPATH": str(ROOT / "src"), "PYTHONDONTWRITEBYTECODE": "1"}
        ours, theirs = (
            subprocess.run(call, capture_output=True, text=True, cwd="/", env=env)
            for call in ([str(PYTHON), "-c", program], self.words([PYTHON, "-c", program]))
        )
        return theirs.returncode == 0 and theirs.stdout == ours.stdout


def _account() -> pwd.struct_passwd:
    try:
        return pwd.getpwnam(NAME)
    except KeyError:
        pass
    say(f"Creating the system account {NAME}")
    call = [
        "useradd",
        "--system",
        "--user-group",
        "--no-create-home",
        "--home-dir",
        "/nonexistent",
        "--shell",
        "/usr/sbin/nologin",
        NAME,
    ]
    done = subprocess.run(call, capture_output=True, text=True)
    if done.returncode not in {0, 9}:  # 9: somebody else was quicker
        raise Stop(f"creating the account {NAME} failed: {done.stderr.strip()}")
    return pwd.getpwnam(NAME)
