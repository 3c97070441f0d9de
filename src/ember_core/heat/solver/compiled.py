"""How functions of the solver are compiled, and how one that is long to compile is called without being compiled again.

Every function is serial and releases the interpreter lock; nothing uses fastmath, because a not-a-number must stay
visible. Divisions are plain ones: dividing by zero gives infinity or not-a-number, and a step that meets one fails.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from threading import Lock
from typing import Any, TypeVar, cast

import numpy as np
from llvmlite import ir
from numba import cfunc, njit, typeof, types
from numba.core import cgutils
from numba.core.errors import TypingError
from numba.core.registry import CPUDispatcher
from numba.extending import intrinsic

ARITHMETIC: dict[str, Any] = {"error_model": "numpy", "fastmath": {"contract"}}
OPTIONS: dict[str, Any] = {"cache": True, "nogil": True} | ARITHMETIC
# what only compiled code calls is part of what calls it: kept there, and without what Python needs to call it
INSIDE: dict[str, Any] = OPTIONS | {"cache": False, "no_cpython_wrapper": True, "no_cfunc_wrapper": True}
F = TypeVar("F", bound=Callable[..., Any])


class _Inside(CPUDispatcher):
    """A compiled function without what Python needs to call it, which says so instead of crashing."""

    def __call__(self, *_: Any, **__: Any) -> Any:
        raise TypeError(f"{self.py_func.__name__} is for compiled code; call plain({self.py_func.__name__})")


def _inside(function: F, **options: Any) -> F:
    dispatcher = njit(**INSIDE | options)(function)
    dispatcher.__class__ = _Inside
    return cast(F, dispatcher)


def entry(function: F) -> F:
    """Compile a function that Python calls."""
    return cast(F, njit(**OPTIONS)(function))


def kernel(function: F) -> F:
    """Compile a function that only compiled ones call."""
    return _inside(function)


def leaf(function: F) -> F:
    """Compile a function that only compiled ones call and that makes no array of its own, without reference counting.

    Counting every array of a Grid or a Body in and out of each call costs several times what the arithmetic does.
    """
    return _inside(function, _nrt=False)


def inlined(function: F) -> F:
    """Compile a function into each of its callers.

    For what is called several times a step: a call takes every array of its tuples by value, some hundred numbers.
    """
    return _inside(function, _nrt=False, forceinline=True)


def plain(function: F) -> F:
    """The Python function that was compiled; slower, but it calls for no compiler."""
    return cast(F, function.py_func)  # type: ignore[attr-defined]  # what numba made of it has it


@leaf
def least(values: Any) -> float:
    """The least of some numbers; infinity of none."""
    found = np.inf
    for i in range(values.size):
        found = min(found, values[i])
    return found


@leaf
def greatest(values: Any) -> float:
    """The greatest of some numbers; minus infinity of none."""
    found = -np.inf
    for i in range(values.size):
        found = max(found, values[i])
    return found


# what a stage's stepper returns: end time, what ended it, highest core and its time, states stored
STEPPED = types.Tuple((types.float64, types.int64, types.float64, types.float64, types.int64))


class Stepper:
    """A function that advances a piece through one stage, compiled for itself and called by its address.

    Numba compiles a function anew into each one that calls it; a stepper is most of the solver, and five call it.
    """

    def __init__(self, function: Callable[..., Any]) -> None:
        self.function = function
        self._compiled: Any = None
        self._lock = Lock()

    @contextmanager
    def left_out(self) -> Iterator[None]:
        """Let a function that does nothing stand in, to compile what calls it; nothing must be compiled yet."""
        function, self.function = self.function, _no_step
        try:
            yield
        finally:
            self.function, self._compiled = function, None

    @property
    def compiled(self) -> bool:
        """Whether it was."""
        return self._compiled is not None

    @property
    def address(self) -> int:
        """Where the compiled function begins."""
        return int(self._compiled.address)

    def compile_for(self, *arguments: Any) -> None:
        """Compile it for ``arguments`` of these types, once."""
        with self._lock:
            if self._compiled is None:
                signature = STEPPED(*(typeof(a) for a in arguments))
                _known.add(signature.args)
                self._compiled = cfunc(signature, cache=True, **ARITHMETIC)(self.function)


def _no_step(
    _y: Any, t: float, _span: float, _faces: Any, _case: Any, _until: int, _value: float, _longest: float, _record: Any,
    _stops: Any, _store: Any, _store_t: Any,
) -> tuple[float, int, float, float, int]:  # fmt: skip
    """A stage that gives up at once."""
    return t, -1, 0.0, t, 0


_known: set[tuple[Any, ...]] = set()


@intrinsic
def call_stepper(_context: Any, address: Any, arguments: Any) -> Any:
    """Call the stepper at ``address`` with the tuple ``arguments``, whose types must be those it was compiled for."""
    if tuple(arguments.types) not in _known:
        raise TypingError(f"no stepper was compiled for {arguments}")

    def code(context: Any, builder: Any, signature: Any, values: Any) -> Any:
        taken = [context.get_value_type(t) for t in signature.args[1].types]
        function = ir.FunctionType(context.get_value_type(STEPPED), taken)
        pointer = builder.inttoptr(values[0], function.as_pointer())
        return builder.call(pointer, cgutils.unpack_tuple(builder, values[1]))

    return STEPPED(address, arguments), code
