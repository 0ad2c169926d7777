"""Which requests are accepted (host names, origins, body sizes), and the security headers of every
response.

Loopback is no protection by itself: any page in the user's browser can reach it (OWASP ASVS 5,
3.4, 3.5, 4.1).
"""

from __future__ import annotations

import base64
import hashlib
import re
from collections.abc import Iterable
from http import HTTPStatus
from pathlib import Path
from urllib.parse import urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from vapocline.api.errors import problem_response

LOOPBACK = ("127.0.0.1", "localhost", "::1")
SAFE = ("GET", "HEAD", "OPTIONS")
OWN_SITE = ("same-origin", "none")  # of Sec-Fetch-Site; none is the person themselves
LARGEST_BODY = 1_000_000  # bytes
LARGEST_CSV = 5_000_000
WITH_CSV = "/api/tidied"  # takes a whole recording as CSV in its body
# What a phone in the house's network may ask for: its place at a tasting, and nothing else.
FOR_PHONES = ("/table/", "/assets/", "/api/tables/")
FOR_PHONES_EXACTLY = ("/api/form", "/icon.svg")
_INLINE_SCRIPT = re.compile(r"<script>(.*?)</script>", re.DOTALL)


def browser_headers(page: Path) -> dict[str, str]:
    """The security headers of every response. `page` is the built page: its inline script is the
    only one the content security policy allows."""
    text = page.read_text(encoding="utf-8") if page.is_file() else ""
    hashes = [
        f"'sha256-{base64.b64encode(hashlib.sha256(script.encode()).digest()).decode()}'"
        for script in _INLINE_SCRIPT.findall(text)
    ]
    policy = {
        "default-src": ["'self'"],
        "script-src": ["'self'", *hashes],
        "img-src": ["'self'", "data:", "blob:"],
        "object-src": ["'none'"],
        "base-uri": ["'none'"],
        "form-action": ["'self'"],
        "frame-ancestors": ["'none'"],
    }
    return {
        "content-security-policy": "; ".join(" ".join([n, *v]) for n, v in policy.items()),
        "cross-origin-opener-policy": "same-origin",
        "cross-origin-resource-policy": "same-origin",
        "referrer-policy": "no-referrer",
        "x-content-type-options": "nosniff",
        "x-frame-options": "DENY",
    }


class Guard:
    """ASGI middleware that refuses requests from elsewhere, and sets the security headers."""

    def __init__(self, app: ASGIApp, *, hosts: Iterable[str], headers: dict[str, str]) -> None:
        """`hosts` are the names and addresses we answer to besides loopback's."""
        self._app = app
        self._hosts = {*LOOPBACK, *(host.lower() for host in hosts)}
        self._headers = headers

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, or refuse it."""
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                MutableHeaders(scope=message).update(self._headers)
            await send(message)

        refusal = self._refusal(scope)
        if refusal is None:
            taken = receive if scope["type"] == "websocket" else _limited(scope, receive)
            await self._app(scope, taken, with_headers)
        elif scope["type"] == "websocket":
            await receive()
            await send({"type": "websocket.close", "code": 1008, "reason": refusal[1]})
        else:
            await problem_response(*refusal, ())(scope, receive, with_headers)

    def _refusal(self, scope: Scope) -> tuple[HTTPStatus, str] | None:
        headers = Headers(scope=scope)
        named = headers.getlist("host")
        host = _hostname(named[0]) if len(named) == 1 else None
        here = (scope.get("server") or ("",))[0]  # the address that it was asked at
        if here not in LOOPBACK and host == here:
            if not _for_phones(scope["path"]):
                detail = "From another device only a place at a tasting can be opened."
                return HTTPStatus.FORBIDDEN, detail
        elif host not in self._hosts:
            got = ", ".join(named) or "nothing"
            detail = f"Host: got {got}; takes {', '.join(sorted(self._hosts))}."
            return HTTPStatus.MISDIRECTED_REQUEST, detail
        if scope["type"] == "http" and scope["method"] in SAFE:
            return None
        site, origin = headers.get("sec-fetch-site"), headers.get("origin")
        foreign = origin is not None and _netloc(origin) != named[0].lower()
        if foreign or (site is not None and site not in OWN_SITE):
            detail = f"A page of another site ({origin or site}) may not ask this."
            return HTTPStatus.FORBIDDEN, detail
        limit = _limit(scope)
        length = headers.get("content-length", "0")
        if not length.isdigit() or int(length) > limit:
            return HTTPStatus.REQUEST_ENTITY_TOO_LARGE, _too_large(limit)
        return None


def _for_phones(path: str) -> bool:
    return path in FOR_PHONES_EXACTLY or path.startswith(FOR_PHONES)


def _hostname(netloc: str) -> str | None:
    try:
        return urlsplit(f"//{netloc}").hostname
    except ValueError:
        return None


def _netloc(origin: str) -> str | None:
    try:
        return urlsplit(origin).netloc.lower()
    except ValueError:  # as for "http://["
        return None


def _limit(scope: Scope) -> int:
    return LARGEST_CSV if scope["path"] == WITH_CSV else LARGEST_BODY


def _too_large(limit: int) -> str:
    return f"The request is too large; takes up to {limit / 1e6:g} MB."


def _limited(scope: Scope, receive: Receive) -> Receive:
    """A body that is sent without its length is counted as it comes."""
    limit, size = _limit(scope), 0

    async def counted() -> Message:
        nonlocal size
        message = await receive()
        size += len(message.get("body", b""))
        if size > limit:
            raise HTTPException(HTTPStatus.REQUEST_ENTITY_TOO_LARGE, _too_large(limit))
        return message

    return counted
