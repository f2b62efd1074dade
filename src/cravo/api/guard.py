"""Who may talk to the server, and how much may be said at once."""

from __future__ import annotations

import os
import secrets
from collections.abc import Awaitable, Callable
from urllib.parse import parse_qs, quote, urlsplit

from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from cravo.core.errors import BadDocument, CravoError
from cravo.core.nesting import check_json

LOCAL = {"127.0.0.1", "localhost", "[::1]"}
SHORTEST_KEY = 16  # characters
LARGEST_BODY = 64 << 20  # bytes of a request that is no clip
SAFE = {"GET", "HEAD", "OPTIONS"}
HEADERS = {
    "Content-Security-Policy": (
        "default-src 'self'; script-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; "
        "media-src 'self' blob:; connect-src 'self' ws: wss:; object-src 'none'; base-uri 'none'; form-action 'self'; "
        "frame-ancestors 'none'"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "no-referrer",
}
Refuse = Callable[[int, str, str], ASGIApp]


class Guard:
    """Lets in only what comes from a page of this server: Host and Origin are checked, a key where one is set.

    A page elsewhere on the web could otherwise talk to a server on loopback through the browser.
    """

    def __init__(self, app: ASGIApp, access_key: str | None, refuse: Refuse) -> None:
        self._app = app
        self._key = access_key
        self._refusal = refuse

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return
        send = _with_headers(scope, send)
        headers = {key.decode("latin-1").lower(): value.decode("latin-1") for key, value in scope["headers"]}
        problem = self._problem(headers, scope)
        if problem is None:
            await self._app(scope, receive, self._with_cookie(scope, send))
        elif scope["type"] == "websocket":
            await send({"type": "websocket.close", "code": 4403, "reason": problem})
        else:
            await self._refusal(403, "Refused", problem)(scope, receive, send)

    def _problem(self, headers: dict[str, str], scope: Scope) -> str | None:
        """Why a request is not let in; None where it is."""
        host, origin = headers.get("host", ""), headers.get("origin")
        if self._key is None and not _local(host):
            return "This address is not served. Use http://127.0.0.1."
        if origin is not None and urlsplit(origin).netloc != host:
            return "Requests from other sites are refused."
        if headers.get("sec-fetch-site") == "cross-site" and scope.get("method", "GET") not in SAFE:
            return "Requests from other sites are refused."
        if self._key is not None and not self._known(headers, scope, self._key):
            return "An access key is needed: open the address with ?key=..."
        return None

    def _known(self, headers: dict[str, str], scope: Scope, key: str) -> bool:
        given = _cookie(headers.get("cookie", "")) or _in_query(scope) or ""
        return secrets.compare_digest(given.encode(errors="replace"), key.encode())

    def _with_cookie(self, scope: Scope, send: Send) -> Send:
        if self._key is None or scope["type"] != "http" or _in_query(scope) is None:
            return send
        cookie = f"cravo_key={quote(self._key, safe='')}; Path=/; HttpOnly; SameSite=Strict"

        async def sending(message: Message) -> None:
            if message["type"] == "http.response.start":
                MutableHeaders(scope=message).append("Set-Cookie", cookie)
            await send(message)

        return sending


class Limits:
    """Reads what a request says before it is parsed: bounded by what comes, not by what was announced, and not too deep.

    Clips go through as they come; what is too large of them is told while they are written.
    """

    def __init__(self, app: ASGIApp, refuse: Refuse) -> None:
        self._app = app
        self._refusal = refuse

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        clip = scope["type"] == "http" and (scope["path"] == "/api/media" or scope["path"].startswith("/api/uploads"))
        if scope["type"] != "http" or scope["method"] in SAFE or clip:
            await self._app(scope, receive, send)
            return
        body = bytearray()
        more = True
        while more:
            message = await receive()
            if message["type"] != "http.request":
                return  # whoever asked is gone
            body += message.get("body", b"")
            more = message.get("more_body", False)
            if len(body) > LARGEST_BODY:
                sentence = f"A request holds at most {LARGEST_BODY >> 20} MiB."
                await self._refusal(413, "Too large", sentence)(scope, receive, send)
                return
        try:
            check_json(bytes(body))
        except BadDocument as error:
            await self._refusal(422, "Does not fit", str(error))(scope, receive, send)
            return
        await self._app(scope, _replayed(bytes(body), receive), send)


def _replayed(body: bytes, receive: Receive) -> Callable[[], Awaitable[Message]]:
    said = False

    async def again() -> Message:
        nonlocal said
        if said:
            return await receive()
        said = True
        return {"type": "http.request", "body": body, "more_body": False}

    return again


def _with_headers(scope: Scope, send: Send) -> Send:
    async def sending(message: Message) -> None:
        if message["type"] == "http.response.start":
            headers = MutableHeaders(scope=message)
            for name, value in HEADERS.items():
                headers.setdefault(name, value)
        await send(message)

    return sending if scope["type"] == "http" else send


def _local(host: str) -> bool:
    """Whether a Host header names this machine: a name of loopback, and nothing or a port after it."""
    name, colon, port = host.rpartition(":") if not host.endswith("]") else (host, "", "")
    if not colon:
        name = host
    return name in LOCAL and (not colon or port.isdecimal())


def _cookie(header: str) -> str | None:
    """The key in a cookie, as it was set; None where there is none, or nothing readable."""
    for part in header.split(";"):
        name, _, value = part.strip().partition("=")
        if name == "cravo_key":
            return next(iter(parse_qs(f"key={value}").get("key", [])), None)
    return None


def _in_query(scope: Scope) -> str | None:
    """The key in the address, unquoted."""
    return next(iter(parse_qs(scope.get("query_string", b"").decode("latin-1")).get("key", [])), None)


def access_key_for(host: str) -> str | None:
    """The key that an address other than loopback needs; raises CravoError where it is not set, or easily guessed."""
    if host in LOCAL or host == "::1":
        return None
    key = os.environ.get("CRAVO_ACCESS_KEY") or None
    if key is None:
        raise CravoError("Serving another address than 127.0.0.1 needs CRAVO_ACCESS_KEY to be set.")
    if len(key) < SHORTEST_KEY:
        raise CravoError(f"CRAVO_ACCESS_KEY must have at least {SHORTEST_KEY} characters.")
    return key
