"""A network full of phones: guests who answer as fast as they can, and half-open requests.

python -m benchmarks.guests PORT SECONDS SEAT SECRET CUP …      of each guest
"""

from __future__ import annotations

import contextlib
import socket
import sys
import threading
import time

import httpx

HALF_OPEN = 400
EVERY_S = 0.3  # from an answer to the next


def main() -> None:
    """Be there for so long."""
    port, for_s, *given = sys.argv[1:]
    until = time.monotonic() + float(for_s)
    seats = [given[at : at + 3] for at in range(0, len(given), 3)]
    guests = [
        threading.Thread(target=_taste, args=(int(port), f"127.0.1.{n + 1}", until, seat))
        for n, seat in enumerate(seats)
    ]
    for guest in guests:
        guest.start()
    half = [line for n in range(HALF_OPEN) if (line := _half_open(int(port), n)) is not None]
    print(len(half), flush=True)
    for guest in guests:
        guest.join()


def _taste(port: int, address: str, until: float, place: list[str]) -> None:
    seat, secret, cup = place
    there = httpx.HTTPTransport(local_address=address)
    headers = {"Vapocline-Seat": secret}
    with httpx.Client(
        base_url=f"http://127.0.0.2:{port}", transport=there, headers=headers, timeout=90
    ) as phone:
        points = 0
        while time.monotonic() < until:
            points = (points + 1) % 11
            said = {"cup": int(cup), "warmth": "hot", "line": "liking", "points": points}
            with contextlib.suppress(httpx.HTTPError):
                phone.put(f"{seat}/score", json=said)
                phone.get(seat)
            time.sleep(EVERY_S)


def _half_open(port: int, number: int) -> socket.socket | None:
    """A connection from one of many addresses that has sent the beginning of a request."""
    line = socket.socket()
    try:
        line.bind((f"127.0.2.{number % 200 + 1}", 0))
        line.connect(("127.0.0.2", port))
        line.sendall(b"GET /api/form HTTP/1.1\r\nHost: 127.0.0.2\r\n")
    except OSError:
        line.close()
        return None
    return line


if __name__ == "__main__":
    main()
