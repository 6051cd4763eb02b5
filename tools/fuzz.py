"""Throw mutated messages, captures, lines, dumps and tables at the readers for a while, then whole cases with one file bent:
`python tools/fuzz.py [SECONDS] [SEED]`.

Prints the input of the first crash, or how many inputs were survived; exit status 1 for a crash.
"""

from __future__ import annotations

import io
import json
import random
import sys
import tempfile
import time
import traceback
from collections.abc import Callable
from dataclasses import replace
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT / "src"), str(ROOT / "tests"), str(ROOT / "tools")]

import samples  # noqa: E402
from fuzz_cases import Cases, bent_value, write  # noqa: E402
from stomion.errors import UnreadableInput  # noqa: E402
from stomion.ingest.capture import read_capture  # noqa: E402
from stomion.ingest.kinds import recognised  # noqa: E402
from stomion.ingest.ostables import _LISTS, _TEXTS, read_table  # noqa: E402
from stomion.jobs.decoding import _whole_dump  # noqa: E402
from stomion.logs.reader import read_log  # noqa: E402
from stomion.model.tables import Policy, Tables  # noqa: E402
from stomion.space.axis import interval_of  # noqa: E402
from stomion.standin.demo import demo_files  # noqa: E402
from stomion.vocabulary.clean import decode_line  # noqa: E402
from stomion.walk.journey import Side, partition  # noqa: E402
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
    _whole_dump(data.decode("latin-1"))


def _tables(data: bytes) -> None:
    """A machine's tables, and all packets through them."""
    files = json.loads(data)
    tables = Tables("x")
    for text in files.values():
        kind = recognised(json.dumps(text).encode())
        if kind not in (*_TEXTS, *_LISTS, "filter rules"):
            continue
        try:
            tables = read_table(kind, json.dumps(text).encode(), "x", tables)
        except UnreadableInput:
            continue
    near, far = interval_of("10.74.0.0/23"), interval_of("10.96.0.0/20")
    tables = replace(tables, policies=(Policy("t", tuple(near), tuple(far)),))
    side = Side("x", tables, {"h": tables}, tables.policies[0], tuple(near))
    other = Side("y", None, {}, None, tuple(far))
    partition(side, other)
    partition(other, side)


ODD: tuple[Any, ...] = (
    None, 0, -1, 2**70, "", "x", "0.0.0.0/0", "10.0.0.0/8", "999", [], {}, "eth0", {"set": [1, 2]}, {"range": [5, 1]}, "accept",
    {"prefix": {"addr": "10.0.0.0", "len": 99}}, {"jump": {"target": "forward"}},
)  # fmt: skip
"""Values that stand where another kind of value is expected."""


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
    tables = {n: json.loads(data) for n, data in files.items() if n.startswith("gannet/") and n.endswith(".json")}
    return {
        _message: messages, _line: lines, _capture: captures, _dump: [m.hex(" ").encode() for m in messages],
        _tables: [json.dumps(tables).encode()],
    }  # fmt: skip


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
    end, count = time.monotonic() + seconds / 3, 0
    while time.monotonic() < end:
        reader, honest = chance.choice(inputs)
        data = chance.choice(honest)
        if reader is _tables:
            data = json.dumps({n: bent_value(v, chance, 0.02, ODD) for n, v in json.loads(data).items()}).encode()
        else:
            data = mutate(data, chance)
        begin = time.perf_counter()
        try:
            reader(data)
        except Exception:
            traceback.print_exc()
            sys.exit(f"{reader.__name__} crashed (seed {seed}, input {count}): {data!r}")
        if time.perf_counter() - begin > SLOW_S:
            sys.exit(f"{reader.__name__} was slow (seed {seed}, input {count}): {data!r}")
        count += 1
    print(f"{count} inputs of single readers survived (seed {seed})")
    cases, end, count = Cases(seed), time.monotonic() + seconds * 2 / 3, 0
    while time.monotonic() < end:
        wrong, files = cases.one(count)
        if wrong:
            place = Path(tempfile.mkdtemp(prefix="stomion-fuzz-"))
            write(place, files)
            sys.exit(f"{wrong} (seed {seed}, case {count}): {place}")
        count += 1
    print(f"{count} bent cases survived (seed {seed})")


if __name__ == "__main__":
    main()
