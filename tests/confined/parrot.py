"""A child for tests: says again what it hears, unless it is told to do something else."""

import os
import time

from epistem.confined.child import serve


def work(frames):
    said = frames[0].decode()
    if said == "sleep":
        time.sleep(3_600)
    if said == "die":
        os._exit(3)
    if said == "fill":
        try:
            bytearray(2_000_000_000)
        except MemoryError:
            return b"no memory"
    return f"{os.getpid()} {said}".encode()


if __name__ == "__main__":
    serve(work, 1, 500_000_000)
