"""Serve an application on a thread of its own, on a free port."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from contextlib import contextmanager
from threading import Event, Thread
from typing import Any

from aiohttp import web
from werkzeug.serving import make_server

from tests.kit.waiting import PATIENCE_S


@contextmanager
def served(app: web.Application, *, port: int = 0) -> Iterator[str]:
    """An aiohttp application; its address. The port is a free one unless it is told."""
    loop, ready, found = asyncio.new_event_loop(), Event(), {}

    async def start() -> web.AppRunner:
        runner = web.AppRunner(app, access_log=None, shutdown_timeout=0.1)
        await runner.setup()
        site = web.TCPSite(runner, "127.0.0.1", port, backlog=2_048)
        await site.start()
        found["port"] = runner.addresses[0][1]
        return runner

    def run() -> None:
        asyncio.set_event_loop(loop)
        runner = loop.run_until_complete(start())
        ready.set()
        loop.run_forever()
        loop.run_until_complete(runner.cleanup())
        left = asyncio.all_tasks(loop)  # requests that a test left hanging
        for task in left:
            task.cancel()
        loop.run_until_complete(asyncio.gather(*left, return_exceptions=True))
        loop.close()

    thread = Thread(target=run, daemon=True)
    thread.start()
    assert ready.wait(PATIENCE_S)
    yield f"http://127.0.0.1:{found['port']}"
    loop.call_soon_threadsafe(loop.stop)
    thread.join(PATIENCE_S)


@contextmanager
def served_wsgi(app: Any) -> Iterator[str]:
    """A Flask application; its address."""
    server = make_server("127.0.0.1", 0, app, threaded=True)
    thread = Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    thread.join(PATIENCE_S)
