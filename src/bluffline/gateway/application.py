"""The gateway over HTTP: uploads by tus 1.0 with creation, termination and checksum, deliveries as JSON, a page of them."""

import asyncio
import base64
import binascii
import hashlib
import hmac
import json
from collections.abc import Mapping
from contextlib import suppress
from dataclasses import asdict
from typing import Any

from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.middleware import Middleware
from starlette.middleware.trustedhost import TrustedHostMiddleware
from starlette.requests import ClientDisconnect, Request
from starlette.responses import HTMLResponse, JSONResponse, Response
from starlette.routing import Route
from starlette.types import ASGIApp, Receive, Scope, Send

from bluffline.gateway.deliveries import Deliveries, Delivery
from bluffline.gateway.uploads import LARGEST, RefusedError, Upload, Uploads, added_to
from bluffline.media.opening import shown
from bluffline.report.pages import page
from bluffline.rules.rules import Rules

TUS = "1.0.0"
_BUFFER = 1 << 20  # bytes that are written at once
_LONGEST = 1 << 16  # bytes of what a delivery is handed in with
_WRONG_CHECKSUM = 460  # tus' own
_SHOWN = 200  # deliveries on the page
_SAFE = {"Content-Security-Policy": "default-src 'none'; style-src 'unsafe-inline'", "X-Content-Type-Options": "nosniff"}


def application(uploads: Uploads, deliveries: Deliveries, rules: Rules, token: str, hosts: list[str]) -> Starlette:
    """The application. ``token``: what requests must show, none where empty; ``hosts``: the names that it answers to."""
    gateway = _Gateway(uploads, deliveries, rules)

    return Starlette(
        routes=[
            Route("/", gateway.page, methods=["GET"]),
            Route("/uploads", gateway.options, methods=["OPTIONS"]),
            Route("/uploads", gateway.begin, methods=["POST"]),
            Route("/uploads/{number}", gateway.upload, methods=["HEAD", "PATCH", "DELETE"]),
            Route("/deliveries", gateway.hand_in, methods=["POST"]),
            Route("/deliveries", gateway.listed, methods=["GET"]),
            Route("/deliveries/{number}", gateway.delivery, methods=["GET"]),
        ],
        middleware=[
            Middleware(TrustedHostMiddleware, allowed_hosts=hosts),
            Middleware(_Guard, token=token),
        ],
        exception_handlers={RefusedError: _refused},
    )


class _Guard:
    """Lets nothing pass without the token, where there is one."""

    def __init__(self, app: ASGIApp, token: str) -> None:
        self._app, self._token = app, token

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        answer: ASGIApp = self._app
        if scope["type"] == "http" and self._token and not _shows(Request(scope), self._token):
            answer = JSONResponse({"error": "It asks for a token."}, 401, {"WWW-Authenticate": 'Basic realm="gateway"'})
        await answer(scope, receive, send)


def _shows(request: Request, token: str) -> bool:
    """Whether a request has the token, as a bearer's or as the password of anybody."""
    scheme, _, said = request.headers.get("authorization", "").partition(" ")
    if scheme.casefold() == "basic":
        with suppress(binascii.Error, UnicodeDecodeError):
            said = base64.b64decode(said, validate=True).decode().partition(":")[2]
    return hmac.compare_digest(said.encode(), token.encode())


async def _refused(_: Request, error: Exception) -> Response:
    assert isinstance(error, RefusedError)
    return JSONResponse({"error": str(error)}, error.status, {"Tus-Resumable": TUS})


class _Gateway:
    def __init__(self, uploads: Uploads, deliveries: Deliveries, rules: Rules) -> None:
        self._uploads, self._deliveries, self._rules = uploads, deliveries, rules
        self._busy: set[str] = set()  # uploads that are being written to

    # Uploads ----------------------------------------------------------------------------------------------------------

    async def options(self, _: Request) -> Response:
        told = {"Tus-Version": TUS, "Tus-Extension": "creation,termination,checksum", "Tus-Checksum-Algorithm": "sha256"}
        return Response(status_code=204, headers={"Tus-Resumable": TUS, "Tus-Max-Size": str(LARGEST), **told})

    async def begin(self, request: Request) -> Response:
        _same_version(request)
        length = _number(request, "upload-length")
        name = _metadata(request).get("filename", "")
        upload = await run_in_threadpool(self._uploads.begin, name, length)
        return Response(status_code=201, headers={"Tus-Resumable": TUS, "Location": f"/uploads/{upload.number}"})

    async def upload(self, request: Request) -> Response:
        _same_version(request)
        upload = self._found(request.path_params["number"])
        told = {"Tus-Resumable": TUS, "Cache-Control": "no-store"}
        if request.method == "HEAD":
            return Response(headers={**told, "Upload-Offset": str(upload.offset), "Upload-Length": str(upload.length)})
        if upload.number in self._busy:
            raise RefusedError(423, "It is being written to by somebody else.")
        self._busy.add(upload.number)
        try:
            if request.method == "DELETE":
                self._uploads.drop(upload)
            else:
                await self._add(request, upload)
                told["Upload-Offset"] = str(upload.offset)
        finally:
            self._busy.discard(upload.number)
        return Response(status_code=204, headers=told)

    async def _add(self, request: Request, upload: Upload) -> None:
        """Add what a request holds; nothing of it where it breaks off, is too much, or is not what its checksum says."""
        if request.headers.get("content-type") != "application/offset+octet-stream":
            raise RefusedError(415, "A piece of a file comes as application/offset+octet-stream.")
        if _number(request, "upload-offset") != upload.offset:
            raise RefusedError(409, f"It goes on at byte {upload.offset}.")
        asked, digest = _checksum(request), hashlib.sha256()
        try:
            with added_to(upload) as piece:
                waiting = bytearray()
                async for data in request.stream():
                    digest.update(data)
                    waiting += data
                    if len(waiting) >= _BUFFER:
                        await run_in_threadpool(piece.add, bytes(waiting))
                        waiting.clear()
                await run_in_threadpool(piece.add, bytes(waiting))
                if asked is not None and not hmac.compare_digest(asked, digest.digest()):
                    raise RefusedError(_WRONG_CHECKSUM, "What came is not what was sent.")
        except ClientDisconnect as error:
            raise RefusedError(400, "The line broke.") from error

    def _found(self, number: object) -> Upload:
        upload = self._uploads.find(str(number))
        if upload is None:
            raise RefusedError(404, "There is no such upload, or none any more.")
        return upload

    # Deliveries -------------------------------------------------------------------------------------------------------

    async def hand_in(self, request: Request) -> Response:
        body = bytearray()
        async for data in request.stream():
            body += data
            if len(body) > _LONGEST:
                raise RefusedError(413, "That is more than a delivery needs.")
        try:
            asked = json.loads(body)
            name, numbers = str(asked["name"]), {str(part): str(number) for part, number in asked["parts"].items()}
        except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
            raise RefusedError(400, "A delivery is handed in as a name and the uploads of its parts.") from error
        parts = {part: self._found(number) for part, number in numbers.items()}
        if taken := [part for part, upload in parts.items() if upload.number in self._busy]:
            raise RefusedError(423, f"Still being written to: {', '.join(taken)}.")
        delivery = await run_in_threadpool(self._deliveries.hand_in, name, parts)
        for upload in parts.values():
            self._uploads.drop(upload)
        return JSONResponse(_report(delivery), 202, {"Location": f"/deliveries/{delivery.number}"})

    async def delivery(self, request: Request) -> Response:
        found = self._deliveries.find(request.path_params["number"])
        if found is None:
            raise RefusedError(404, "There is no such delivery.")
        return JSONResponse(_report(found))

    async def listed(self, _: Request) -> Response:
        return JSONResponse([_report(each) for each in self._deliveries])

    async def page(self, _: Request) -> Response:
        known = list(self._deliveries)
        made = await asyncio.to_thread(
            page("intake.html.j2", "bluffline.gateway").render,
            deliveries=[{**asdict(each), "name": shown(each.name), "state": str(each.state)} for each in known[:_SHOWN]],
            count=len(known), rules=self._rules.title,
        )  # fmt: skip
        return HTMLResponse(made, headers=_SAFE)


def _report(delivery: Delivery) -> Mapping[str, Any]:
    return {"schema": "bluffline.delivery/1", **asdict(delivery), "reasons": list(delivery.reasons)}


def _same_version(request: Request) -> None:
    if request.headers.get("tus-resumable") != TUS:
        raise RefusedError(412, f"Uploads are by tus {TUS}.")


def _number(request: Request, header: str) -> int:
    said = request.headers.get(header, "")
    if not (said.isascii() and said.isdigit() and len(said) < 20):
        raise RefusedError(400, f"{header} has to be a number of bytes.")
    return int(said)


def _metadata(request: Request) -> Mapping[str, str]:
    """What an upload says of itself: keys, each with its value in base 64."""
    found = {}
    for pair in request.headers.get("upload-metadata", "").split(","):
        key, _, value = pair.strip().partition(" ")
        try:
            found[key] = base64.b64decode(value, validate=True).decode()
        except (binascii.Error, UnicodeDecodeError) as error:
            raise RefusedError(400, "Upload-Metadata has to be in base 64.") from error
    return found


def _checksum(request: Request) -> bytes | None:
    """The SHA-256 that a piece says that it has; None where it says nothing."""
    said = request.headers.get("upload-checksum")
    if said is None:
        return None
    algorithm, _, value = said.partition(" ")
    if algorithm != "sha256":
        raise RefusedError(400, "Checksums are taken as sha256.")
    try:
        return base64.b64decode(value, validate=True)
    except binascii.Error as error:
        raise RefusedError(400, "A checksum has to be in base 64.") from error
