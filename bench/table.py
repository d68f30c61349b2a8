"""Everything that is measured, as one table: what was asked for, what came out, whether it holds, and what came out last time.

``python bench/table.py`` runs all measurements, each in a process of its own, and is what ``make bench`` runs; names of some,
``python bench/table.py hands gaps``, run those. Figures are also kept as JSON in ``out/bench.json``, which the next run is
compared with, and as a table in ``out/bench.md``.
"""

import json
import os
import subprocess
import sys
import tempfile
import time
from dataclasses import asdict, dataclass
from pathlib import Path

from heart import taken_away

HERE = Path(__file__).resolve().parent
KEPT = HERE.parent / "out" / "bench.json"
PARTS = ("run", "written", "gaps", "treating", "handing", "hands", "memory", "behind", "scale")
_FILE = "BENCH_FIGURES"


@dataclass(frozen=True)
class Figure:
    """One thing measured, in a unit; ``least`` or ``most`` is what was asked for; ``told``: how it spread, or of what it is."""

    name: str
    value: float
    unit: str = ""
    least: float | None = None
    most: float | None = None
    told: str = ""

    @property
    def asked(self) -> str:
        """What was asked for, empty where nothing was."""
        if self.least is not None:
            return f"≥ {self.least:g} {self.unit}".strip()
        return "" if self.most is None else f"≤ {self.most:g} {self.unit}".strip()

    @property
    def measured(self) -> str:
        """What came out."""
        value = f"{self.value:.0f}" if abs(self.value) >= 100 or float(self.value).is_integer() else f"{self.value:.3g}"
        return f"{value} {self.unit}".strip() + f" ({self.told})" * bool(self.told)

    @property
    def holds(self) -> str:
        """Whether what was asked for is reached, empty where nothing was."""
        if self.least is None and self.most is None:
            return ""
        reached = (self.least is None or self.value >= self.least) and (self.most is None or self.value <= self.most)
        return "yes" if reached else "no"


def tell(
    name: str, value: float, unit: str = "", *, least: float | None = None, most: float | None = None, told: str = ""
) -> None:
    """Print a figure, and keep it for the table."""
    figure = Figure(name, float(value), unit, least, most, told)
    print(f"{name}: {figure.measured}" + f"; asked for {figure.asked}" * bool(figure.asked), flush=True)
    if _FILE in os.environ:
        with Path(os.environ[_FILE]).open("a", encoding="utf-8") as file:
            file.write(json.dumps(asdict(figure)) + "\n")


def compared(now: Figure, before: Figure | None) -> str:
    """What came out last time, and by how much it is better or worse now where that can be said."""
    if before is None:
        return "–"
    change = now.value / before.value - 1 if before.value else 0.0
    if now.most is not None:
        change = -change
    better = "" if now.least is None and now.most is None else " better" if change > 0 else " worse"
    return f"{before.measured.partition(' (')[0]}" + f", {abs(change):.0%}{better}" * (abs(change) >= 0.005)


def as_table(figures: list[Figure], before: dict[str, Figure]) -> str:
    """Figures as a table in Markdown."""
    rows = [
        f"| {each.name} | {each.asked} | {each.measured} | {each.holds} | {compared(each, before.get(each.name))} |"
        for each in figures
    ]
    return "\n".join(["| | asked for | measured | holds | last time |", "|---|---|---|---|---|", *rows, ""])


def main() -> int:
    """Run, print and keep; the exit code is 1 where a measurement could not be made."""
    parts = sys.argv[1:] or PARTS
    if unknown := set(parts) - set(PARTS):
        raise SystemExit(f"No such measurement: {', '.join(sorted(unknown))}; there are {', '.join(PARTS)}.")
    kept = json.loads(KEPT.read_text("utf-8")) if KEPT.exists() else {"figures": []}
    before = {each["name"]: Figure(**each) for each in kept["figures"]}
    began, away, failed = time.monotonic(), taken_away(), []
    with tempfile.TemporaryDirectory() as folder:
        told = Path(folder) / "figures"
        told.touch()
        for part in parts:
            print(f"\n{part}", flush=True)
            done = subprocess.run([sys.executable, str(HERE / f"{part}.py")], env=os.environ | {_FILE: str(told)}, check=False)
            failed += [part] if done.returncode else []
        figures = [Figure(**json.loads(line)) for line in told.read_text("utf-8").splitlines()]
    table = as_table(figures, before)
    took, gone = (time.monotonic() - began) / 60, taken_away() - away
    short = sum(each.holds == "no" for each in figures)
    print(f"\n{table}\n{len(figures)} figures in {took:.0f} minutes, {short} of them short of what was asked for")
    print(f"The host took {gone:.0f} s of processor time away")
    for part in failed:
        print(f"{part} could not be measured")
    KEPT.parent.mkdir(exist_ok=True)
    names = {each.name for each in figures}
    rest = [asdict(each) for name, each in before.items() if name not in names] if len(parts) < len(PARTS) else []
    KEPT.write_text(
        json.dumps({"minutes": took, "taken_away": gone, "figures": [*map(asdict, figures), *rest]}, indent=1), "utf-8"
    )
    KEPT.with_suffix(".md").write_text(table, "utf-8")
    return bool(failed)


if __name__ == "__main__":
    sys.exit(main())
