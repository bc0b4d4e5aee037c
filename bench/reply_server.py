"""The trivial server of the bench: one fixed reply, after a fixed delay, as fast as it can.

A plain asyncio protocol on uvloop rather than a web framework, so that the server's own work
takes as little as can be of the two cores that it shares with what is measured.
"""

from __future__ import annotations

import asyncio
import json
import sys

import uvloop

BODY = json.dumps(
    {
        "id": "fixed",
        "object": "chat.completion",
        "model": "fixed",
        "choices": [
            {
                "index": 0,
                "message": {
                    "role": "assistant",
                    "content": '{"label": "delay", "urgency": 3, "reason": "Asks whether a sailing goes."}',
                },
                "finish_reason": "stop",
            }
        ],
        "usage": {"prompt_tokens": 90, "completion_tokens": 25, "total_tokens": 115},
    }
).encode()
REPLY = (
    b"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\nContent-Length: %d\r\n\r\n" % len(BODY)
) + BODY


class FixedReply(asyncio.Protocol):
    """Reads requests by their Content-Length and answers each."""

    def __init__(self, delay_s: float) -> None:
        self._delay_s = delay_s
        self._got = b""

    def connection_made(self, transport: asyncio.BaseTransport) -> None:
        self._transport = transport

    def data_received(self, data: bytes) -> None:
        self._got += data
        while (end := self._got.find(b"\r\n\r\n")) >= 0:
            head = self._got[:end].lower()
            at = head.find(b"content-length:")
            length = int(head[at + 15 :].split(b"\r\n", 1)[0]) if at >= 0 else 0
            if len(self._got) < end + 4 + length:
                return
            self._got = self._got[end + 4 + length :]
            if self._delay_s:
                asyncio.get_running_loop().call_later(self._delay_s, self._answer)
            else:
                self._answer()

    def _answer(self) -> None:
        if not self._transport.is_closing():
            self._transport.write(REPLY)  # type: ignore[attr-defined]


async def serve(port: int, delay_s: float) -> None:
    loop = asyncio.get_running_loop()
    server = await loop.create_server(lambda: FixedReply(delay_s), "127.0.0.1", port, backlog=512)
    print("ready", flush=True)
    await server.serve_forever()


if __name__ == "__main__":
    uvloop.run(serve(int(sys.argv[1]), float(sys.argv[2])))
