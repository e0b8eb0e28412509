"""Compiled loops that cost nothing until one of them is called.

Importing Numba takes as long as everything the first paint needs; so a module of kernels only
notes its functions, and the first call of one of them fetches the compiler and what is in the cache.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Callable, Iterator
from pathlib import Path
from threading import RLock
from types import CodeType, FunctionType
from typing import Any

import platformdirs

_LOCK = RLock()


class Kernel:
    """A plain function that Numba compiles when it is first called; kernels may call each other by their names."""

    __slots__ = ("_compiled", "_options", "py_func")

    def __init__(self, plain: FunctionType, options: dict[str, Any]) -> None:
        self.py_func, self._options, self._compiled = plain, options, None

    def __call__(self, *arguments: Any) -> Any:
        return (self._compiled or self.ready())(*arguments)

    def ready(self) -> Any:
        """Numba's own function, made now if need be; so are those that it calls."""
        with _LOCK:
            if self._compiled is None:
                numba = _compiler()
                known = self.py_func.__globals__
                for name in _names(self.py_func.__code__):
                    if isinstance(other := known.get(name), Kernel) and other is not self:
                        known[name] = other.ready()
                self._compiled = numba.njit(cache=True, nogil=True, **self._options)(self.py_func)
                if known.get(self.py_func.__name__) is self:
                    known[self.py_func.__name__] = self._compiled  # its own module need not come here again
            return self._compiled


def _compiler() -> Any:
    """Numba, with what it loads for its first function.

    On the way it looks whether there is a BLAS for matrix products, which no kernel of ours has, and so imports a
    third of SciPy, which takes as long as Numba itself: here it takes it for granted.
    """
    import numba
    import numba.np.linalg as algebra

    if "numba.np.arraymath" not in sys.modules:
        ask = algebra.ensure_blas
        algebra.ensure_blas = lambda: None
        try:
            import numba.np.arraymath
        finally:
            algebra.ensure_blas = ask
    return numba


def kernel(*, error_model: str = "numpy", **options: Any) -> Callable[[FunctionType], Kernel]:
    """Declare a compiled loop: no interpreter's lock, kept in the user's cache.

    Parameters
    ----------
    error_model : {"numpy", "python"}
        Whether a division by zero gives infinity, or raises.
    options
        More of Numba's, as ``fastmath=True`` or ``inline="always"``.
    """
    return lambda plain: Kernel(plain, {"error_model": error_model, **options})


def use_kernel_cache() -> None:
    """What is compiled goes to the user's cache directory; must come before the first kernel is called."""
    os.environ.setdefault("NUMBA_CACHE_DIR", str(Path(platformdirs.user_cache_dir("engraver")) / "kernels"))


def _names(code: CodeType) -> Iterator[str]:
    yield from code.co_names
    for inner in code.co_consts:
        if isinstance(inner, CodeType):
            yield from _names(inner)
