"""What is remembered between sittings: recent programmes and the rules last used."""

import json
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Annotated

from bluffline.declared import Between, checked
from bluffline.errors import SettingsError, WriteError
from bluffline.folders import UserFolder
from bluffline.intake import read_text
from bluffline.report.files import save_text
from bluffline.session.gauges import GaugeSetup

_VERSION = 2
_MOST_RECENT = 8
_FURTHEST = 100_000  # pixels


@dataclass
class Settings:
    """Remembered settings; a file that can't be read, or comes from a later version, counts as none."""

    path: Path
    recent: list[str] = field(default_factory=list)
    rules: str = "r103"
    gauges: GaugeSetup = field(default_factory=GaugeSetup)
    bench: int = 0  # pixels that the bench is high; 0: as high as it needs
    codec: str = ""  # that was last written in, by its name; empty: none yet
    operator: str = ""  # who sits at the desk, by name
    station: str = ""  # of whom
    cluster: str = ""  # address of a scheduler that files in hand, batch and watch are given to; empty: this machine
    gateway: str = ""  # address that was last delivered to; empty: none yet
    window: list[int] = field(default_factory=list)  # x, y, width and height of the window; empty: as the screen has room

    @classmethod
    def load(cls, path: Path | None = None) -> "Settings":
        """Settings from ``path``, by default in the user's configuration folder."""
        path = path or UserFolder.SETTINGS.path / "settings.json"
        try:
            stored = json.loads(read_text(path))
            if stored["version"] not in (1, _VERSION):
                return cls(path)
            recent = checked(stored["recent"], tuple[str, ...], "recent")
            gauges = GaugeSetup()
            with suppress(SettingsError):  # a gauge that is not here any more costs the setup of gauges, and nothing else
                if stored["version"] == _VERSION:  # version 1 knew none
                    gauges = GaugeSetup.restored(stored["gauges"])
            bench = checked(stored.get("bench", 0), Annotated[int, Between(0, 4000)], "bench")
            window = checked(stored.get("window", []), tuple[int, ...], "window")
            window = window if len(window) == 4 and max(map(abs, window)) < _FURTHEST else ()
            rules = checked(stored["rules"], str, "rules")
            codec = checked(stored.get("codec", ""), str, "codec")
            operator = checked(stored.get("operator", ""), str, "operator")
            station = checked(stored.get("station", ""), str, "station")
            cluster = checked(stored.get("cluster", ""), str, "cluster")
            gateway = checked(stored.get("gateway", ""), str, "gateway")
            known = list(recent[:_MOST_RECENT]), rules, gauges, bench, codec, operator, station, cluster, gateway, list(window)
            return cls(path, *known)
        except (OSError, ValueError, KeyError, TypeError, RecursionError, SettingsError):
            return cls(path)

    def opened(self, programme: Path) -> None:
        """Put a programme at the head of the recent ones and save."""
        name = str(programme.resolve())
        self.recent = [name, *(entry for entry in self.recent if entry != name)][:_MOST_RECENT]
        self.save()

    def written_in(self, codec: str) -> None:
        """Remember a codec: what is tried from the start of the next sitting on is tried as it will be written."""
        self.codec = codec
        self.save()

    def save(self) -> None:
        """Save; a folder that can't be written to costs the memory, not the work."""
        stored = {
            "version": _VERSION, "recent": self.recent, "rules": self.rules, "gauges": self.gauges.stored(),
            "bench": self.bench, "codec": self.codec, "operator": self.operator, "station": self.station,
            "cluster": self.cluster, "gateway": self.gateway, "window": self.window,
        }  # fmt: skip
        try:
            self.path.parent.mkdir(parents=True, exist_ok=True)
            save_text(self.path, json.dumps(stored, indent=1) + "\n")
        except (OSError, WriteError):
            return
