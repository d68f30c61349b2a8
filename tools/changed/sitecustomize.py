"""Gives one module of the package another text, in every process that is started with this folder on its path.

``CHANGED`` names the module and the file that holds the text: ``bluffline.rules.shots=/tmp/shots.py``. What is kept of compiled
loops serves on, but for loops of the modules that ``COMPILED_ANEW`` lists, which call a changed one.
"""

import os
import sys
from importlib.machinery import ModuleSpec, PathFinder, SourceFileLoader
from pathlib import Path
from types import CodeType, ModuleType

_name, _, _text = os.environ.get("CHANGED", "").partition("=")
_anew = set(filter(None, os.environ.get("COMPILED_ANEW", "").split(",")))


class _Loader(SourceFileLoader):
    def get_code(self, fullname: str) -> CodeType:  # noqa: ARG002 (as it is called)
        return compile(Path(_text).read_bytes(), self.path, "exec", dont_inherit=True)

    def exec_module(self, module: ModuleType) -> None:
        if _anew:
            _keep_none()
        super().exec_module(module)


class _Finder:
    @staticmethod
    def find_spec(fullname: str, path: list[str] | None, _target: object = None) -> ModuleSpec | None:
        spec = PathFinder.find_spec(fullname, path) if fullname == _name else None
        if spec is not None:
            spec.loader = _Loader(fullname, str(spec.origin))
        return spec


def _keep_none() -> None:
    """Loops that call a changed one are compiled, not looked up; and what is compiled here is not kept."""
    from numba.core.caching import FunctionCache

    look_up = FunctionCache.load_overload

    def load_overload(self: FunctionCache, *of: object) -> object:
        return None if self._py_func.__module__ in _anew else look_up(self, *of)

    def save_overload(*_of: object) -> None:
        pass

    FunctionCache.load_overload, FunctionCache.save_overload = load_overload, save_overload


if _name:
    sys.meta_path.insert(0, _Finder())  # type: ignore[arg-type]
