"""A service of bookings, as a ferry company might have one: made up, and small. It holds seats until it ends."""

from __future__ import annotations

from typing import Any

from aiohttp import web

from epistem.standin.asking import body_of

BOATS = ("Merganser", "Goldeneye")
TIMES = ("07:10", "09:00", "12:30", "15:00", "17:40")
FIRST, LAST = 4_000, 4_999
MOST_SEATS = 8
_HELD = web.AppKey("held", list[dict[str, Any]])


def make_bookings() -> web.Application:
    """GET /bookings/{number}; POST /holds with seats, and a time if one likes."""
    app = web.Application(client_max_size=100_000)
    app[_HELD] = []
    app.router.add_get("/bookings/{number}", _booking)
    app.router.add_post("/holds", _hold)
    return app


async def _booking(request: web.Request) -> web.Response:
    told = request.match_info["number"]
    if not told.isdecimal() or not FIRST <= int(told) <= LAST:
        return web.json_response({"error": f"There is no booking {told[:20]}."}, status=404)
    number = int(told)
    booking = {
        "number": number,
        "state": ("paid", "not paid", "cancelled", "paid")[number % 4],
        "seats": 1 + number % 5,
        "boat": BOATS[number % 2],
        "leaves": TIMES[number % 5],
    }
    return web.json_response({"booking": booking, "desk": "north"})


async def _hold(request: web.Request) -> web.Response:
    body = await body_of(request)
    seats = body.get("seats")
    if isinstance(seats, bool) or not isinstance(seats, int) or not 1 <= seats <= MOST_SEATS:
        return web.json_response({"error": f"seats has to be 1 to {MOST_SEATS}."}, status=422)
    held = request.app[_HELD]
    number = LAST + 1 + len(held)
    held.append({"number": number, "seats": seats, "time": body.get("time")})
    return web.json_response({"held": True, "number": number, "seats": seats}, status=201)
