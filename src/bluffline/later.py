"""Modules of loops are loaded when something of them is first asked for.

The compiler that they need takes longer to load than all else, and most commands measure nothing.
"""

import sys
import threading
from collections.abc import Sequence
from importlib.abc import Loader, MetaPathFinder
from importlib.machinery import ModuleSpec
from types import ModuleType
from typing import Any

_lock = threading.RLock()
_OWN = "__file__", "__loader__", "__package__", "__spec__", "__cached__"


class _Later(ModuleType):
    """Looks like its module, and is filled with it at once, whole, by whoever first asks for anything."""

    def __getattr__(self, name: str) -> Any:
        if name.startswith("__"):
            raise AttributeError(name)
        with _lock:
            loader = self.__dict__.get("_loader")
            if loader is not None:
                whole = ModuleType(self.__name__, self.__doc__)
                whole.__dict__.update({own: self.__dict__[own] for own in _OWN if own in self.__dict__})
                loader.exec_module(whole)
                self.__dict__.update(whole.__dict__, _loader=None)
        if name in self.__dict__:
            return self.__dict__[name]
        raise AttributeError(f"module {self.__name__} has no attribute {name}")


class _LaterLoader(Loader):
    def __init__(self, loader: Any) -> None:
        self._loader = loader

    def __getattr__(self, name: str) -> Any:
        return getattr(self._loader, name)

    def create_module(self, spec: ModuleSpec) -> ModuleType:
        return _Later(spec.name)

    def exec_module(self, module: ModuleType) -> None:
        module.__dict__["_loader"] = self._loader


class _Finder(MetaPathFinder):
    def find_spec(self, name: str, path: Sequence[str] | None, target: ModuleType | None = None) -> ModuleSpec | None:
        if not (name.startswith("bluffline.") and name.endswith("_kernels")):
            return None
        others = (finder.find_spec(name, path, target) for finder in sys.meta_path if finder is not self)
        spec = next((found for found in others if found is not None), None)
        if spec is not None:
            spec.loader = _LaterLoader(spec.loader)
        return spec


def load_loops_later() -> None:
    """From now on, modules of loops wait until they are needed."""
    if not any(isinstance(finder, _Finder) for finder in sys.meta_path):
        sys.meta_path.insert(0, _Finder())
