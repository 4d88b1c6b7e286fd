"""Listening on the loopback address: an event loop that holds connections, bodies and event streams, and threads that work off whole
requests, so that nobody who is slow or silent takes a thread."""

from __future__ import annotations

import asyncio
import re
import socket
import sys
import tempfile
from collections.abc import Awaitable, Callable, MutableMapping
from concurrent.futures import ThreadPoolExecutor
from os import SEEK_END
from threading import Thread
from time import monotonic
from typing import Any, BinaryIO, cast

import uvicorn
from a2wsgi import WSGIMiddleware
from flask import Flask
from werkzeug.exceptions import HTTPException

from dusk_arrow.core.problems import Problem
from dusk_arrow.server.bounds import MOST_FILE
from dusk_arrow.server.computing import is_computing
from dusk_arrow.server.context import Context
from dusk_arrow.server.problems import TOO_LARGE, problem_response
from dusk_arrow.server.runs import how_far

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
LIGHT, HEAVY = 16, 3  # threads
IN_MEMORY = 512 * 1024  # bytes of a body; larger ones lie in a file
PIECE = 256 * 1024
SILENCE = 20.0  # seconds that a body may pause
HEARTBEAT, LOOK = 10.0, 0.1  # seconds
LONGEST_HEAD = 256 * 1024  # a figure's options travel in its address
EVENTS = re.compile(r"/api/runs/(\d+)/events")
SWITCH = 0.001  # seconds after which a thread that computes lets another one work


class _Refused(Exception):
    def __init__(self, status: int, code: str, message: str) -> None:
        super().__init__(message)
        self.status, self.code = status, code


class _Gone(Exception):
    """Nobody waits for the answer any more."""


async def _whole_body(receive: Receive, length: int | None) -> BinaryIO:
    """The body of a request, once all of it is there. Raises _Refused where it is too large or does not come, and _Gone."""
    if length is not None and length > MOST_FILE:
        raise _Refused(413, "http_413", TOO_LARGE)
    body = cast(BinaryIO, tempfile.SpooledTemporaryFile(IN_MEMORY))  # noqa: SIM115  closed by whoever reads it
    more, size = True, 0
    try:
        while more:
            try:
                message = await asyncio.wait_for(receive(), SILENCE)
            except TimeoutError:
                raise _Refused(408, "request_silent", "The request did not arrive; try again.") from None
            if message["type"] == "http.disconnect":
                raise _Gone
            piece = message.get("body", b"")
            size += len(piece)
            if size > MOST_FILE:
                raise _Refused(413, "http_413", TOO_LARGE)
            body.write(piece)
            more = message.get("more_body", False)
    except BaseException:
        body.close()
        raise
    body.seek(0)
    return body


def _length(scope: Message) -> int | None:
    found = [value for name, value in scope["headers"] if name == b"content-length"]
    return int(found[0]) if found and found[0].isdigit() else None


class Served:
    """The application as the event loop calls it."""

    def __init__(self, app: Flask) -> None:
        self._app = app
        self._context: Context = app.extensions["dusk_arrow"]
        wsgi: Any = app
        self._light = WSGIMiddleware(wsgi, LIGHT, send_queue_size=0)
        self._heavy = WSGIMiddleware(wsgi, HEAVY, send_queue_size=0)
        self._following = ThreadPoolExecutor(2, "following")
        self._addresses = app.url_map.bind("localhost")

    async def __call__(self, scope: Message, receive: Receive, send: Send) -> None:
        """Answers one request."""
        if scope["type"] != "http":
            return
        try:
            body = await _whole_body(receive, _length(scope))
        except _Gone:
            return
        except _Refused as refused:
            await self._refuse(refused, send)
            return
        with body:
            followed = EVENTS.fullmatch(scope["path"])
            if followed and scope["method"] == "GET":
                await self._follow(int(followed.group(1)), scope, body, receive, send)
            else:
                await self._answer(scope, body, send)

    def close(self) -> None:
        """Ends the threads."""
        for pool in (self._light.executor, self._heavy.executor, self._following):
            pool.shutdown(wait=False, cancel_futures=True)

    def _computes(self, scope: Message) -> bool:
        try:
            endpoint, _ = self._addresses.match(scope["path"], scope["method"])
        except HTTPException:
            return False
        return is_computing(self._app.view_functions[endpoint])

    async def _answer(self, scope: Message, body: BinaryIO, send: Send) -> None:
        pool = self._heavy if self._computes(scope) else self._light
        size = body.seek(0, SEEK_END)
        body.seek(0)
        await pool({**scope, "headers": _with_length(scope, size)}, _given(body), send)  # type: ignore[arg-type]

    async def _refuse(self, refused: _Refused, send: Send) -> None:
        with self._app.app_context():
            answer = problem_response(refused.status, [Problem(refused.code, "error", str(refused))])
        headers = [(name.lower().encode(), value.encode()) for name, value in answer.headers.items()]
        await send(
            {"type": "http.response.start", "status": refused.status, "headers": [*headers, (b"connection", b"close")]}
        )
        await send({"type": "http.response.body", "body": answer.get_data()})

    async def _follow(self, run_id: int, scope: Message, body: BinaryIO, receive: Receive, send: Send) -> None:
        """The first event as the application answers it; where it does, the stream stays open and tells every further change."""
        stays = False

        async def first(message: Message) -> None:
            nonlocal stays
            if message["type"] == "http.response.start":
                stays = message["status"] == 200
                if stays:
                    kept = [(name, value) for name, value in message["headers"] if name != b"content-length"]
                    message = {**message, "headers": kept}
                await send(message)
            elif not stays or message.get("body"):
                await send({**message, "more_body": True} if stays else message)

        changes = self._context.runs.changes
        seen = changes.count(run_id)
        await self._light({**scope, "headers": _uncompressed(scope)}, _given(body), first)  # type: ignore[arg-type]
        if not stays:
            return
        loop, gone = asyncio.get_running_loop(), asyncio.ensure_future(receive())
        told, open_still = monotonic(), True
        try:
            while open_still and not changes.closed:
                await asyncio.wait({gone}, timeout=LOOK)
                if gone.done():
                    return
                now = changes.count(run_id)
                if now == seen and monotonic() - told < HEARTBEAT:
                    continue
                text, open_still = await loop.run_in_executor(self._following, how_far, self._app, run_id)
                event = f"data: {text}\n\n" if now != seen or not open_still else ": still here\n\n"
                seen, told = now, monotonic()
                await send({"type": "http.response.body", "body": event.encode(), "more_body": True})
        finally:
            gone.cancel()
        await send({"type": "http.response.body", "body": b""})


def _with_length(scope: Message, size: int) -> list[tuple[bytes, bytes]]:
    """The headers of a request whose body is all there: every bound that looks at its length holds for one that was sent in pieces."""
    kept = [(name, value) for name, value in scope["headers"] if name not in (b"content-length", b"transfer-encoding")]
    return [*kept, (b"content-length", str(size).encode())] if size or len(kept) < len(scope["headers"]) else kept


def _uncompressed(scope: Message) -> list[tuple[bytes, bytes]]:
    return [(name, value) for name, value in scope["headers"] if name != b"accept-encoding"]


def _given(body: BinaryIO) -> Receive:
    """A body that is all there, piece by piece."""

    async def given() -> Message:
        piece = body.read(PIECE)
        return {"type": "http.request", "body": piece, "more_body": len(piece) == PIECE}

    return given


class Listener:
    """A server on the loopback address; `port` 0 finds a free one."""

    def __init__(self, app: Flask, port: int = 0) -> None:
        sys.setswitchinterval(SWITCH)
        self._served = Served(app)
        self._socket = socket.create_server(("127.0.0.1", port), backlog=512)
        self.port = int(self._socket.getsockname()[1])
        config = uvicorn.Config(
            self._served, lifespan="off", log_config=None, access_log=False, server_header=False, timeout_keep_alive=30,
            timeout_graceful_shutdown=1, h11_max_incomplete_event_size=LONGEST_HEAD, http="h11", ws="none", loop="asyncio",
        )  # fmt: skip
        self._server = uvicorn.Server(config)
        self._thread = Thread(target=self._server.run, args=([self._socket],), daemon=True, name="listening")
        self._thread.start()

    def close(self) -> None:
        """Answers what is under way for a moment, and ends."""
        self._server.should_exit = True
        self._thread.join(5)
        self._served.close()
        self._socket.close()
