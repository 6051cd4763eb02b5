"""Throw mutated messages, captures, lines and dumps at the readers for a while: `python tools/fuzz.py [SECONDS] [SEED]`.

Prints the input of the first crash, or how many inputs were survived; exit status 1 for a crash.
"""

from __future__ import annotations

import io
import random
import sys
import time
import traceback
from collections.abc import Callable
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT / "src"), str(ROOT / "tests")]

import samples  # noqa: E402
from stomion.ingest.capture import read_capture  # noqa: E402
from stomion.jobs.decoding import dump_bytes  # noqa: E402
from stomion.logs.clean import decode_line  # noqa: E402
from stomion.logs.reader import read_log  # noqa: E402
from stomion.standin.demo import demo_files  # noqa: E402
from stomion.wire.ike import decode  # noqa: E402
from stomion.wire.ike.ledger import ledger  # noqa: E402

SLOW_S = 1.0
"""An input of a few kilobytes that takes longer than this is a fault as well."""


def _message(data: bytes) -> None:
    ledger(decode(data))


def _capture(data: bytes) -> None:
    read_capture(io.BytesIO(data), "x", None)


def _line(data: bytes) -> None:
    list(read_log([(1, decode_line(data)[0])], "x", "quayhead", year=2026))


def _dump(data: bytes) -> None:
    dump_bytes(data.decode("latin-1"))


def corpus() -> dict[Callable[[bytes], None], list[bytes]]:
    """Honest inputs for every reader, to be mutated."""
    files = demo_files()
    messages = [
        samples.init_request(14, 19),
        samples.init_answer(14),
        samples.refusal(17, b"\0\x14"),
        samples.main_mode(),
    ]
    lines = files["quayhead/ike.log"].splitlines() + files["marram/gateway.log"].splitlines()
    captures = [files["quayhead/wan.pcapng"][:6000], files["farlight/wan.pcap"][:6000]]
    return {_message: messages, _line: lines, _capture: captures, _dump: [m.hex(" ").encode() for m in messages]}


def mutate(data: bytes, chance: random.Random) -> bytes:
    """A few bytes changed, cut out, doubled or spliced in."""
    out = bytearray(data)
    for _ in range(chance.randint(1, 8)):
        at = chance.randrange(len(out) + 1)
        kind = chance.randrange(4)
        if kind == 0 and out:
            out[at % len(out)] = chance.choice((0, 1, 0x7F, 0x80, 0xFF, chance.randrange(256)))
        elif kind == 1:
            del out[at : at + chance.randint(1, 40)]
        elif kind == 2:
            out[at:at] = out[max(0, at - 30) : at]
        else:
            out[at:at] = chance.randbytes(chance.randint(1, 12))
    return bytes(out)


def main() -> None:
    seconds = float(sys.argv[1]) if len(sys.argv) > 1 else 20.0
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else 1
    chance = random.Random(seed)
    inputs = list(corpus().items())
    end, count = time.monotonic() + seconds, 0
    while time.monotonic() < end:
        reader, honest = chance.choice(inputs)
        data = mutate(chance.choice(honest), chance)
        begin = time.perf_counter()
        try:
            reader(data)
        except Exception:
            traceback.print_exc()
            sys.exit(f"{reader.__name__} crashed (seed {seed}, input {count}): {data!r}")
        if time.perf_counter() - begin > SLOW_S:
            sys.exit(f"{reader.__name__} was slow (seed {seed}, input {count}): {data!r}")
        count += 1
    print(f"{count} inputs survived (seed {seed})")


if __name__ == "__main__":
    main()
