"""Which requests are accepted (addresses, host names, origins, body sizes), and the security
headers of every response.

Loopback is no protection by itself: any page in the user's browser can reach it (OWASP ASVS 5,
3.4, 3.5, 4.1).
"""

from __future__ import annotations

import base64
import hashlib
import re
from collections.abc import Iterable
from http import HTTPStatus
from ipaddress import IPv6Address, ip_address
from pathlib import Path
from urllib.parse import unquote_to_bytes, urlsplit

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from vapocline.api.errors import problem_response

LOOPBACK = ("127.0.0.1", "localhost", "::1")
SAFE = ("GET", "HEAD", "OPTIONS")
OWN_SITE = ("same-origin", "none")  # of Sec-Fetch-Site; none is the person themselves
LARGEST_BODY = 1_000_000  # bytes
LARGEST_RECORDING = 5_000_000
WITH_RECORDING = ("/api/tidied", "/api/recordings")  # take a whole recording in their body
OFFERED_TO_PHONES = (  # besides the pages' own files
    "/api/form", "/api/tables/", "/assets/", "/icon.svg", "/table/",
)  # fmt: skip
NO_NUL = "takes text without the NUL character"
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

    def __init__(
        self, app: ASGIApp, *, hosts: Iterable[str], headers: dict[str, str], phones: bool = False
    ) -> None:
        """`hosts` are the names we answer to besides the address we are asked at. With `phones`
        requests come from the network, and only what a tasting needs is offered."""
        self._app, self._phones = app, phones
        self._hosts = {host.lower() for host in hosts} | (set() if phones else set(LOOPBACK))
        self._headers = headers

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Pass a request on, or refuse it."""
        if scope["type"] not in ("http", "websocket"):
            await self._app(scope, receive, send)
            return

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                headers.update(self._headers)
                if scope["path"].startswith("/api/"):
                    headers.setdefault("cache-control", "no-store")
            await send(message)

        refusal = self._refusal(scope)
        if refusal is None:
            taken = (
                _text_only(receive) if scope["type"] == "websocket" else _limited(scope, receive)
            )
            await self._app(scope, taken, with_headers)
        elif scope["type"] == "websocket":
            await receive()
            await send({"type": "websocket.close", "code": 1008, "reason": refusal[1]})
        else:
            await problem_response(*refusal, ())(scope, receive, with_headers)

    def _refusal(self, scope: Scope) -> tuple[HTTPStatus, str] | None:
        """Why a request is refused. Its origin is the socket's: a header can say anything."""
        if not self._phones and not (_is_here(scope, "client") and _is_here(scope, "server")):
            return HTTPStatus.FORBIDDEN, "Only this computer may ask."
        headers = Headers(scope=scope)
        named = headers.getlist("host")
        if (wrong_name := self._wrong_name(scope, named)) is not None:
            return HTTPStatus.MISDIRECTED_REQUEST, wrong_name
        if self._phones and not scope["path"].startswith(OFFERED_TO_PHONES):
            return HTTPStatus.FORBIDDEN, "From another device only a tasting can be opened."
        if (nul := _nul_in(scope)) is not None:
            return HTTPStatus.UNPROCESSABLE_ENTITY, f"{nul}: got a NUL; {NO_NUL}"
        if scope["type"] == "http" and scope["method"] in SAFE:
            return None
        return _foreign(headers, named[0]) or _too_large(scope, headers)

    def _wrong_name(self, scope: Scope, named: list[str]) -> str | None:
        """What is wrong with the name that a request was sent to. A name that leads here may be
        anybody's; from the network this computer's own name for itself is a lie too."""
        host = _hostname(named[0]) if len(named) == 1 else None
        asked_at = (scope.get("server") or ("",))[0]
        if host is not None and (host in self._hosts or (self._phones and host == asked_at)):
            return None
        known = [*self._hosts, asked_at] if self._phones else self._hosts
        return f"Host: got {', '.join(named) or 'nothing'}; takes {', '.join(sorted(known))}."


def _is_here(scope: Scope, end: str) -> bool:
    """Whether an end of the connection is this computer itself."""
    try:
        address = ip_address((scope.get(end) or ("",))[0])
    except ValueError:  # none that is known
        return False
    if isinstance(address, IPv6Address) and address.ipv4_mapped is not None:
        return address.ipv4_mapped.is_loopback
    return address.is_loopback


def _nul_in(scope: Scope) -> str | None:
    """The part of an address that no database can take, if there is one."""
    if "\x00" in scope["path"] and scope["path"].startswith("/api/"):
        return "path"
    return "query" if b"\x00" in unquote_to_bytes(scope.get("query_string", b"")) else None


def _foreign(headers: Headers, host: str) -> tuple[HTTPStatus, str] | None:
    """Why the page that asks may not, if it is another site's."""
    site, origin = headers.get("sec-fetch-site"), headers.get("origin")
    foreign = origin is not None and _netloc(origin) != host.lower()
    if foreign or (site is not None and site not in OWN_SITE):
        detail = f"A page of another site ({origin or site}) may not ask this."
        return HTTPStatus.FORBIDDEN, detail
    return None


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
    return LARGEST_RECORDING if scope["path"].startswith(WITH_RECORDING) else LARGEST_BODY


def _larger_than(limit: int) -> str:
    return f"The request is too large; takes up to {limit / 1e6:g} MB."


def _too_large(scope: Scope, headers: Headers) -> tuple[HTTPStatus, str] | None:
    limit, length = _limit(scope), headers.get("content-length", "0")
    if not length.isdigit() or int(length) > limit:
        return HTTPStatus.REQUEST_ENTITY_TOO_LARGE, _larger_than(limit)
    return None


def _limited(scope: Scope, receive: Receive) -> Receive:
    """A body that is sent without its length is counted as it comes."""
    limit, size = _limit(scope), 0

    async def counted() -> Message:
        nonlocal size
        message = await receive()
        size += len(message.get("body", b""))
        if size > limit:
            raise HTTPException(HTTPStatus.REQUEST_ENTITY_TOO_LARGE, _larger_than(limit))
        return message

    return counted


def _text_only(receive: Receive) -> Receive:
    """A socket that sends a NUL is taken for closed: no text of ours has one."""

    async def checked() -> Message:
        message = await receive()
        if "\x00" in (message.get("text") or "") or b"\x00" in (message.get("bytes") or b""):
            return {"type": "websocket.disconnect", "code": 1007, "reason": NO_NUL}
        return message

    return checked
