"""Running the gateway."""

import ipaddress
import socket
from pathlib import Path

import uvicorn

from bluffline.errors import SettingsError, WriteError
from bluffline.gateway.application import application
from bluffline.gateway.deliveries import Deliveries
from bluffline.gateway.uploads import Uploads
from bluffline.report.keys import Keys
from bluffline.rules.rules import Rules
from bluffline.session.hold import Hold

_HERE = ["127.0.0.1", "localhost"]  # the names that only this machine is reached by
_MOST = 64  # connections at a time


def serve(folder: Path, rules: Rules, host: str = _HERE[0], port: int = 0, token: str = "") -> None:
    """Take deliveries into a folder until a signal ends it; where it is reached is the first line that is printed.

    Raises
    ------
    SettingsError : it is to be reached from elsewhere without a token, can't listen there, or another one has the folder
    WriteError : the folder can't be written to
    """
    if not token and not _only_here(host):
        raise SettingsError(f"To be reached at {host} from other machines it needs a --token.")
    try:
        uploads, keys = Uploads(folder / "uploads"), Keys()
        uploads.clear()
    except OSError as error:
        raise WriteError(f"{folder} can't be written to: {error.strerror}.") from error
    hold = Hold(folder, "gateway", "Another gateway takes deliveries into this folder.")
    try:
        listening = socket.create_server((host, port), family=socket.AF_INET6 if ":" in host else socket.AF_INET)
    except (OSError, OverflowError) as error:
        hold.release()
        raise SettingsError(f"It can't listen at {host}, port {port}: {getattr(error, 'strerror', None) or error}.") from error
    deliveries = Deliveries(folder, keys, rules)
    hosts = ["*"] if token else [*_HERE, host]
    made = application(uploads, deliveries, rules, token, hosts)
    server = uvicorn.Server(
        uvicorn.Config(made, log_config=None, access_log=False, ws="none", lifespan="off", limit_concurrency=_MOST)
    )
    try:
        shown = f"[{host}]" if ":" in host else host
        print(f"http://{shown}:{listening.getsockname()[1]}", flush=True)  # noqa: T201
        server.run(sockets=[listening])
    finally:
        deliveries.close()
        listening.close()
        hold.release()


def _only_here(host: str) -> bool:
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"
