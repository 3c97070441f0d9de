"""Where things lie: the clone, its Python environment, and the state outside the clone."""

from __future__ import annotations

import hashlib
import os
import secrets
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
VENV = ROOT / ".venv"
PYTHON = VENV / "bin" / "python"


def say(text: str) -> None:
    """Progress goes to standard error; standard output is for answers."""
    print(text, file=sys.stderr, flush=True)


class Stop(SystemExit):
    """Ends the launcher with a message that names the remedy."""

    def __init__(self, message: str, code: int = 2) -> None:
        say(f"ember: {message}")
        super().__init__(code)


def secret_file(path: Path) -> Path:
    """A file with a random secret that only its owner can read; made when it is not there."""
    if not path.exists():
        descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
        os.write(descriptor, secrets.token_urlsafe(50).encode())
        os.close(descriptor)
    return path


def is_root() -> bool:
    """Whether this runs as root."""
    return os.geteuid() == 0


def state_dir() -> Path:
    """Data outside the clone, one folder a clone: EMBER_STATE, or below /var/lib (root) or the XDG state home."""
    override = os.environ.get("EMBER_STATE")
    if override:
        return Path(override).absolute()
    name = f"{ROOT.name}-{hashlib.sha256(str(ROOT).encode()).hexdigest()[:8]}"
    if is_root():
        return Path("/var/lib/open-ember") / name
    home = os.environ.get("XDG_STATE_HOME") or str(Path.home() / ".local" / "state")
    return Path(home) / "open-ember" / name


def clean_environment() -> dict[str, str]:
    """The environment for our own Python: bytecode is kept, because starting without it is slow."""
    env = {
        k: v
        for k, v in os.environ.items()
        if k not in {"PYTHONDONTWRITEBYTECODE", "PYTHONHOME", "DJANGO_SETTINGS_MODULE"}
    }
    env["PYTHONPATH"] = str(ROOT / "src")
    return env
