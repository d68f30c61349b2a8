"""The commands on deliveries: gateway, the stand-in for playout that takes them; and deliver."""

import argparse
import json
import sys
from pathlib import Path

from bluffline.cli import files
from bluffline.cli.progress import terminal_monitor
from bluffline.errors import SettingsError
from bluffline.media.opening import shown
from bluffline.report.files import save_text
from bluffline.rules.rulefile import SHIPPED, load_rules

_ACCEPTED, _REFUSED = 0, 1
_PORTS = 1 << 16


def add_commands(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Declare the two commands."""
    gateway = commands.add_parser("gateway", help="stand in for playout: take deliveries, accept what can be verified")
    gateway.set_defaults(run=_gateway)
    gateway.add_argument("--folder", type=Path, required=True, metavar="DIR", help="where deliveries go")
    gateway.add_argument("--rules", default=SHIPPED[0], metavar="NAME|PATH", help="what is judged anew where it was by others")
    gateway.add_argument("--host", default="127.0.0.1", help="where it is reached; default: from this machine alone")
    gateway.add_argument("--port", type=int, default=8600, help="default: 8600; 0: any that is free")
    gateway.add_argument("--token", default="", metavar="WORD", help="what deliveries have to show; needed beyond this machine")
    delivering = commands.add_parser("deliver", help="deliver a file and its certificate to a gateway")
    delivering.set_defaults(run=_deliver)
    delivering.add_argument("file", type=Path, metavar="FILE", help="a file with its certificate beside it")
    delivering.add_argument("--to", required=True, metavar="URL", help="the gateway's address, as http://127.0.0.1:8600")
    delivering.add_argument("--token", default="", metavar="WORD", help="what the gateway asks for")
    delivering.add_argument("--json", metavar="OUT|-", help="write the decision as JSON; - for standard output")
    files.add_force(delivering)


def _gateway(options: argparse.Namespace) -> int:
    from bluffline.gateway.serve import serve

    if not 0 <= options.port < _PORTS:
        raise SettingsError(f"--port must lie between 0 and {_PORTS - 1}.")
    serve(options.folder, load_rules(options.rules), options.host, options.port, options.token)
    return _ACCEPTED


def _deliver(options: argparse.Namespace) -> int:
    from bluffline.shift.sending import deliver

    target = None if options.json in (None, "-") else Path(options.json)
    targets = files.Targets([options.file], force=options.force)
    targets.add(target, (".json",))
    with terminal_monitor(options) as monitor:
        decided = deliver(options.file, options.to, monitor, options.token)
    report = {
        "schema": "bluffline.delivered/1", "file": shown(options.file), "gateway": options.to,
        "accepted": decided.accepted, "reasons": list(decided.reasons),
    }  # fmt: skip
    if options.json is not None:
        text = json.dumps(report, indent=2, ensure_ascii=False) + "\n"
        sys.stdout.write(text) if target is None else save_text(target, text)
    if options.json != "-":
        print(f"{shown(options.file)}: {'accepted' if decided.accepted else 'REFUSED'} by {options.to}")
        for reason in decided.reasons:
            print(f"  {reason}")
    return _ACCEPTED if decided.accepted else _REFUSED
