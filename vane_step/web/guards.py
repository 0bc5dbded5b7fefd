"""What stands before every request: host, origin, size, key, headers, and what answers when something fails inside.

Plain ASGI, so that streams pass through untouched and every answer, refusals among them, carries the headers.
"""

from __future__ import annotations

import asyncio
import hashlib
import hmac
import html
import json
import secrets
import time
from collections import deque
from collections.abc import Callable
from http.cookies import CookieError, SimpleCookie
from typing import Any
from urllib.parse import parse_qs, quote, urlsplit

from starlette.types import ASGIApp, Message, Receive, Scope, Send

from vane_step.web.language.catalogue import chosen, in_use
from vane_step.web.log import log
from vane_step.web.settings import Settings

POLICY = (
    "default-src 'self'; script-src 'self'; style-src 'self'; img-src 'self' data: blob:; font-src 'self'; "
    "connect-src 'self'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
)
HEADERS = (
    (b"content-security-policy", POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"same-origin"),
)
# Files are as large as a board's whole release; anything else is a sentence, an edit or a form.
MAX_UPLOAD, MAX_BODY = 64 * 1024 * 1024, 8 * 1024 * 1024
SAFE = ("GET", "HEAD")
# How long the next piece of a body may be under way.
BODY_S = 20.0
COOKIE = "vane-step-key"
# Wrong keys taken from one address within a minute, before it has to wait.
MOST_GUESSES, WINDOW_S = 5, 60.0


class Guards:
    """Checks every request before the application sees it, and answers what the application could not."""

    def __init__(self, app: ASGIApp, settings: Settings, clock: Callable[[], float] = time.monotonic) -> None:
        self._app, self._settings, self._clock = app, settings, clock
        self._key = settings.access_key.encode()
        self._token = hmac.new(self._key, b"vane-step", hashlib.sha256).hexdigest()
        self._guesses: dict[str, deque[float]] = {}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        begun = time.perf_counter()
        status = 0

        async def headed(message: Message) -> None:
            nonlocal status
            if message["type"] == "http.response.start":
                status = message["status"]
                message["headers"] = [*message.get("headers", ()), *HEADERS]
            await send(message)

        headers = {k.decode("latin-1").lower(): v.decode("latin-1") for k, v in scope["headers"]}
        refused = self._refused(scope, headers)
        if refused is not None:
            await _answer(headed, headers, *refused)
        else:
            await self._limited(scope, headers, receive, headed)
        spent = round(1000 * (time.perf_counter() - begun), 1)
        log.info("request", method=scope["method"], path=scope["path"], status=status, ms=spent)

    def _refused(self, scope: Scope, headers: dict[str, str]) -> tuple[int, dict[str, Any], list[Any]] | None:
        """Say why a request is refused: status, what is told, and headers; or nothing."""
        host = headers.get("host", "")
        if self._settings.loopback and _hostname(host) not in ("127.0.0.1", "localhost", "::1"):
            return 421, _told("wrong-host", f"This program does not answer for {host[:80]!r}."), []
        if (scope["method"] not in SAFE or _embedded(headers)) and _foreign(headers, host, scope["scheme"]):
            return 403, _told("wrong-origin", "The request came from another site."), []
        length = headers.get("content-length", "0")
        most = MAX_UPLOAD if headers.get("content-type", "").startswith("multipart/") else MAX_BODY
        if not length.isdigit() or int(length[:20]) > most:
            return 413, _too_large(most), []
        return None if self._settings.loopback else self._without_key(scope, headers)

    def _without_key(
        self, scope: Scope, headers: dict[str, str]
    ) -> tuple[int, dict[str, Any], list[Any]] | None:
        try:
            morsel = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
        except CookieError:
            morsel = None
        if morsel is not None and hmac.compare_digest(morsel.value.encode(), self._token.encode()):
            return None
        given = parse_qs(scope["query_string"].decode("latin-1")).get("key", [""])[0]
        who = (scope.get("client") or ("",))[0]
        tried = self._guesses.setdefault(who, deque())
        while tried and self._clock() - tried[0] > WINDOW_S:
            tried.popleft()
        if len(tried) >= MOST_GUESSES:
            wait = round(WINDOW_S - (self._clock() - tried[0])) + 1
            return (
                429,
                _told("too-many-keys", f"Too many wrong keys. Wait {wait} s."),
                [(b"retry-after", b"%d" % wait)],
            )
        if not given:
            return 401, _told("no-key", "Open the address with ?key=… once."), []
        # The query is read as UTF-8 text, so the key is compared as its bytes.
        if not hmac.compare_digest(given.encode("utf-8", "replace"), self._key):
            tried.append(self._clock())
            return 401, _told("no-key", "That is not the key."), []
        # Leading slashes would name another host.
        goal = "/" + quote(scope["path"].lstrip("/\\"))
        cookie = f"{COOKIE}={self._token}; HttpOnly; Path=/; SameSite=Strict"
        return 303, {}, [(b"location", goal.encode()), (b"set-cookie", cookie.encode())]

    async def _limited(self, scope: Scope, headers: dict[str, str], receive: Receive, send: Send) -> None:
        """Hand a request on, its body counted as it comes; answer what fails inside."""
        in_use.set(chosen(headers.get("accept-language", "")))
        most = MAX_UPLOAD if headers.get("content-type", "").startswith("multipart/") else MAX_BODY
        seen, over, started, whole = 0, False, False, False

        async def counted() -> Message:
            nonlocal seen, over, whole
            if whole:
                # What comes after the body is that somebody leaves, for which one waits as long as it takes.
                return await receive()
            try:
                message = await asyncio.wait_for(receive(), BODY_S)
            except TimeoutError:
                return {"type": "http.disconnect"}
            whole = not message.get("more_body", False)
            seen += len(message.get("body", b""))
            if seen > most:
                over = True
                return {"type": "http.disconnect"}
            return message

        async def sent(message: Message) -> None:
            nonlocal started
            if over and not started:
                if message["type"] == "http.response.start":
                    started = True
                    await _answer(send, headers, 413, _too_large(most), [])
                return
            if not over:
                started = started or message["type"] == "http.response.start"
                await send(message)

        try:
            await self._app(scope, counted, sent)
        except Exception as error:
            if over and not started:
                await _answer(send, headers, 413, _too_large(most), [])
                return
            reference = secrets.token_hex(4)
            log.error(
                "fault",
                reference=reference,
                method=scope["method"],
                path=scope["path"],
                error=repr(error),
                exc_info=error,
            )
            if not started:
                await _answer(send, headers, 500, self._fault(reference), [])

    def _fault(self, reference: str) -> dict[str, Any]:
        return {
            **_told("fault", "Something failed inside the program; nothing was changed."),
            "where": reference,
            "next_step": f"Look for {reference} in {self._settings.log_file}, and report it with what you did.",
        }


def _told(code: str, message: str) -> dict[str, Any]:
    return {"code": code, "message": message, "where": "", "value": None, "allowed": "", "next_step": ""}


def _too_large(most: int) -> dict[str, Any]:
    return {
        **_told("too-large", f"More than {most >> 20} MB are not accepted."),
        "allowed": f"up to {most} bytes",
    }


def _hostname(host: str) -> str:
    try:
        return (urlsplit(f"//{host}").hostname or "").lower()
    except ValueError:
        return ""


def _embedded(headers: dict[str, str]) -> bool:
    """Tell whether what is asked for is to be part of a page, such as a picture, and not opened by somebody."""
    return headers.get("sec-fetch-dest", "document") != "document"


def _foreign(headers: dict[str, str], host: str, scheme: str) -> bool:
    """Tell whether another site sent a request: by its origin, or by what the browser says of where it came from."""
    if headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
        return True
    origin = headers.get("origin")
    if origin is None:
        return False
    try:
        parts = urlsplit(origin)
    except ValueError:
        return True
    # Behind a proxy that ends TLS the page is https and the program hears http.
    return parts.netloc != host or parts.scheme not in (scheme, "https")


async def _answer(
    send: Send, headers: dict[str, str], status: int, told: dict[str, Any], more: list[tuple[bytes, bytes]]
) -> None:
    """Answer in the form that was asked for: a page for who opens one, else JSON."""
    if "text/html" in headers.get("accept", "") and "hx-request" not in headers:
        says = html.escape(" ".join(filter(None, (told.get("message"), told.get("next_step")))))
        body, kind = (
            f"<!doctype html><title>Vane Step</title><p>{says}</p>".encode(),
            b"text/html; charset=utf-8",
        )
    else:
        body, kind = json.dumps(told).encode(), b"application/json"
    length = str(len(body)).encode()
    start = [(b"content-type", kind), (b"content-length", length), *more]
    await send({"type": "http.response.start", "status": status, "headers": start})
    await send({"type": "http.response.body", "body": body})
