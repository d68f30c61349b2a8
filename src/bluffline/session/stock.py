"""Stock treatments: treatments kept under a name, one file each, for any programme."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from bluffline.errors import SettingsError, WriteError
from bluffline.folders import UserFolder
from bluffline.report.files import save_text
from bluffline.treat.kinds.look import Look
from bluffline.treat.ladder import Treatment
from bluffline.treat.lutfile import READ_ENDINGS as LUT_ENDINGS
from bluffline.treat.lutfile import corrections, read_step
from bluffline.treat.reach import EVERYWHERE
from bluffline.treat.step import Heading
from bluffline.treat.stored import Stock, load_stock, treatment_text

_ENDING = ".treatment.json"


class StockShelf:
    """The stock treatments in a folder, by default in the user's data folder; ``shipped`` ones, by name, stand behind them."""

    def __init__(self, folder: Path | None = None, shipped: Mapping[str, Stock] | None = None) -> None:
        self.folder, self._shipped = folder or UserFolder.WORK.path / "stock", shipped or {}

    def names(self) -> list[str]:
        """What stands on the shelf: one's own, then what comes with the desk."""
        return [*self._own, *sorted(set(self._shipped) - set(self._own))]

    @property
    def _own(self) -> list[str]:
        return sorted(path.name.removesuffix(_ENDING) for path in self.folder.glob(f"*{_ENDING}"))

    def comes_with(self, name: str) -> bool:
        """Whether one comes with the desk, and is not replaced by one of the user's own."""
        return name in self._shipped and name not in self._own

    def keep(self, name: str, treatment: Treatment, reasons: Sequence[str] = ()) -> Path:
        """Keep a treatment under a name, in place of one that has it, with the reasons of its steps.

        Raises
        ------
        SettingsError : the name can't be a file's
        WriteError : the disk refuses
        """
        name = name.strip()
        if not name or re.search(r"[/\\:\x00-\x1f]", name) or name.startswith("."):
            raise SettingsError(f"A stock treatment can't be called “{name}”: use letters, figures and spaces.")
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise WriteError(f"Stock treatments can't be kept in {self.folder}: {error.strerror}.") from error
        path = self.folder / f"{name}{_ENDING}"
        save_text(path, treatment_text(name, treatment, reasons))
        return path

    def take(self, name: str) -> Stock:
        """A stock treatment.

        Raises
        ------
        SettingsError : it is not there or can't be read
        """
        return self._shipped[name] if self.comes_with(name) else load_stock(self.folder / f"{name}{_ENDING}")

    def take_in(self, path: Path) -> str:
        """Put a treatment, LUT or CDL file from elsewhere on the shelf, under its title; returns the name that it has here.

        Of a file with several colour corrections each is put there, and their names are returned by commas.

        Raises
        ------
        SettingsError : it is none
        WriteError : the disk refuses
        """
        if path.suffix.lower() not in LUT_ENDINGS:
            return self._put(load_stock(path), path)
        named = corrections(path)
        if len(named) < 2:
            return self._put(Stock(path.stem, (read_step(path),)), path)
        return ", ".join([self._put(Stock(f"{path.stem} {each}", (read_step(path, each),)), path) for each in named])

    def _put(self, stock: Stock, path: Path) -> str:
        plain = re.sub(r"[/\\:\x00-\x1f]", " ", stock.title).strip(" .") or path.stem.partition(".")[0]
        name = next(name for n in range(1, 1000) if (name := plain if n == 1 else f"{plain} {n}") not in self.names())
        self.keep(name, stock.steps, stock.reasons)
        return name

    def give_out(self, name: str, path: Path) -> None:
        """Write a stock treatment to a file elsewhere.

        Raises
        ------
        SettingsError : it is not there
        WriteError : the disk refuses
        """
        stock = self.take(name)
        save_text(path, treatment_text(stock.title, stock.steps, stock.reasons))

    def remove(self, name: str) -> None:
        """Take one of the user's own off the shelf; one that came with the desk under its name is there again."""
        (self.folder / f"{name}{_ENDING}").unlink(missing_ok=True)


def without_reach(treatment: Treatment) -> Treatment:
    """The steps acting everywhere."""
    return tuple(replace(step, reach=EVERYWHERE) for step in treatment)


def as_look(name: str, treatment: Treatment, strength: float) -> Look:
    """A treatment as one step of so much strength (percent), its steps without a reach; limits are left out."""
    steps = tuple(step for step in without_reach(treatment) if step.place is not Heading.LIMITS and not isinstance(step, Look))
    return Look(name, strength, steps, heading=Heading.SHOT)
