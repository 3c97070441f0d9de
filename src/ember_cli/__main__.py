"""``simulate``, ``replay``, ``read`` and ``judge`` of the open command line.

Answers go to standard output; an error is one JSON object as the last line of standard error, with
exit code 2. Files are checked before the solver is loaded, so that a refusal is quick.
"""

from __future__ import annotations

import argparse
import gc
import json
import sys
from collections.abc import Callable, Sequence
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any, NoReturn

from ember_core.errors import EmberError, FormatError, InputError
from ember_core.formats import log as log_format
from ember_core.formats import plan as plan_format

BUDGET_S = 10.0  # of computing for each plan's nominal cook; a page allows less


class Parser(argparse.ArgumentParser):
    """An argument parser whose errors are error objects."""

    def error(self, message: str) -> NoReturn:
        """Raise instead of printing usage."""
        raise InputError(f"{message}. See --help.", code="argument")


def read_text(name: str) -> str:
    """Text of a file, or of standard input for ``-``."""
    try:
        raw = sys.stdin.buffer.read() if name == "-" else Path(name).read_bytes()
        return raw.decode("utf-8-sig")
    except OSError as error:
        raise InputError(f"Cannot read {name}: {error.strerror}.", path=name, code="file") from None
    except UnicodeDecodeError:
        raise FormatError(f"{name} is not UTF-8 text; save it as UTF-8.", path=name, code="encoding") from None


def emit(value: Any) -> None:
    """Write one JSON value on one line of standard output."""
    sys.stdout.write(json.dumps(value, ensure_ascii=False, allow_nan=False) + "\n")


def answer(arguments: argparse.Namespace, of: Callable[[str], dict[str, Any]]) -> int:
    """One file in, its answer out; or JSON Lines, an answer or an error object a line, in order.

    Parameters
    ----------
    arguments : Namespace
        ``file`` and ``lines``.
    of : function
        The answer to a text; raises EmberError.
    """
    text = read_text(arguments.file)
    if not arguments.lines:
        emit(of(text))
        return 0
    failed = False
    for line in text.splitlines():
        if not line.strip():
            continue
        try:
            emit(of(line))
        except EmberError as error:
            failed = True
            emit(error.as_dict())
        sys.stdout.flush()
    return 1 if failed else 0


def simulate(arguments: argparse.Namespace) -> int:
    """One plan in, one result out."""

    def of(text: str) -> dict[str, Any]:
        plan = plan_format.loads(text)
        from ember_core.planning.compute import compute

        return compute(plan, budget_s=BUDGET_S).result

    return answer(arguments, of)


def replay_cook(arguments: argparse.Namespace) -> int:
    """A cook in, its state out."""

    def of(text: str) -> dict[str, Any]:
        from ember_core.running import history

        cook = history.loads(text)
        from ember_core.running.state import replay

        return replay(cook, budget_s=BUDGET_S).as_dict()

    return answer(arguments, of)


def read_entry(arguments: argparse.Namespace) -> int:
    """Quick entry to a plan, with what was and was not understood."""
    from ember_core.entry.quick import parse as parse_quick
    from ember_core.entry.reading import sentence_of

    reading = parse_quick(" ".join(arguments.text))
    serve_at = None
    if reading.serve is not None:  # the next time the clock shows it, here
        now = datetime.now().astimezone()
        serve_at = now.replace(hour=reading.serve.hour, minute=reading.serve.minute, second=0, microsecond=0)
        serve_at += timedelta(days=serve_at < now)
    document = sentence_of(reading, serve_at=serve_at, altitude_m=arguments.altitude_m).document()
    plan_format.parse(document)
    emit({"plan": document, "understood": reading.understood, "unknown": reading.unknown})
    return 0


def judge(arguments: argparse.Namespace) -> int:
    """Rule and model on a measured log."""
    from ember_core.safety.arguments import check_arguments, check_thickness
    from ember_core.safety.evidence import fastest_core
    from ember_core.safety.measured import judge_log

    check_arguments(arguments.rules, arguments.food, arguments.form, arguments.probe_error_c)
    check_thickness(arguments.thickness_mm)
    emit(
        judge_log(
            log_format.loads(read_text(arguments.file)),
            rules=arguments.rules,
            food=arguments.food,
            form=arguments.form,
            probe_error_c=arguments.probe_error_c,
            log10=arguments.log,
            guests=arguments.guests,
            fastest_k_s=None if arguments.thickness_mm is None else fastest_core(arguments.thickness_mm),
        )
    )
    return 0


def compile_solver(arguments: argparse.Namespace) -> int:
    """Compile the solver into its cache by computing plans with everything in them."""
    from ember_core.planning.warm_up import compile_all

    gc.disable()  # a tenth faster, and the process ends soon
    compile_all(*arguments.part, tell=(lambda: print(flush=True)) if arguments.count else None)
    return 0


def build_parser() -> Parser:
    """The command line."""
    parser = Parser(prog="./ember", description=__doc__)
    commands = parser.add_subparsers(dest="command", required=True, parser_class=Parser)
    sim = commands.add_parser("simulate", help="compute a plan")
    sim.add_argument("file", help="plan file, or - for standard input")
    sim.add_argument("--lines", action="store_true", help="JSON Lines in and out")
    sim.set_defaults(run=simulate)
    again = commands.add_parser("replay", help="what really happens to a piece, from what was done to it")
    again.add_argument("file", help="cook file, or - for standard input")
    again.add_argument("--lines", action="store_true", help="JSON Lines in and out")
    again.set_defaults(run=replay_cook)
    reads = commands.add_parser("read", help="read a quick entry as a plan")
    reads.add_argument("text", nargs="+", help="such as: bavette 28mm mr 19:40")
    reads.add_argument("--altitude-m", type=float, default=0.0)
    reads.set_defaults(run=read_entry)
    jud = commands.add_parser("judge", help="judge a measured log by rule and model")
    jud.add_argument("file", help="log as CSV, or - for standard input")
    jud.add_argument("--rules", required=True)
    jud.add_argument("--food", required=True)
    jud.add_argument("--form", required=True)
    jud.add_argument("--probe-error-c", type=float, default=0.0)
    jud.add_argument("--log", type=float, default=6.5, choices=(6.5, 7.0), help="log reduction of the FSIS table")
    jud.add_argument("--guests", default="general", choices=("general", "susceptible"), help="who eats it")
    jud.add_argument("--thickness-mm", type=float, help="of the piece: how fast its core can rise; default 20")
    jud.set_defaults(run=judge)
    compiling = commands.add_parser("warm", help="compile the solver")
    compiling.add_argument("part", nargs="*", help="line, mesh-calls, mesh-stepper; default all")
    compiling.add_argument("--count", action="store_true", help="write a line for each function that was compiled")
    compiling.set_defaults(run=compile_solver)
    return parser


def main(argv: Sequence[str] | None = None) -> int:
    """Run a command; returns the exit code."""
    try:
        arguments = build_parser().parse_args(argv)
        code: int = arguments.run(arguments)
        return code
    except EmberError as error:
        print(json.dumps(error.as_dict(), ensure_ascii=False), file=sys.stderr)
        return 2


if __name__ == "__main__":
    sys.exit(main())
