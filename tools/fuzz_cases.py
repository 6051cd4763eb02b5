"""Whole cases with one file bent: read, judged and printed as `stomion check` does it. For `tools/fuzz.py`.

A file is bent by what it is: values of JSON, rows of records, words and lines of texts and sheets, bytes of captures. What must hold
of every one of them: no error of this program, nothing in what is printed that a terminal would obey, no secret, and a few seconds at most.
"""

from __future__ import annotations

import json
import random
import re
import signal
import sys
import tempfile
import unicodedata
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT / "tests" / "hostile")]

import test_inputs as made  # noqa: E402

from fuzz_texts import more_cases  # noqa: E402
from stomion.cli.text import ask_text, check_text  # noqa: E402
from stomion.errors import UsageError  # noqa: E402
from stomion.jobs.examine import Examined, examine  # noqa: E402
from stomion.jobs.sheets import drafted  # noqa: E402
from stomion.jobs.summary import as_json_bytes, summary_of  # noqa: E402
from stomion.standin.demo import demo_files  # noqa: E402

Files = dict[str, bytes]
SLOW_S = 8
"""Seconds after which a case of some ten kilobytes is a fault."""
LARGEST = 60_000
"""Bytes of a file that is worth bending: larger ones only take longer."""
SECRET = "S3cretTidepool9"
BYTES = SECRET.encode().hex(" ")
PLANTED = (
    f'2026-05-04T09:14:00Z ike: pre-shared key is "{SECRET}" for peer 192.0.2.1: authentication failed',
    f"psk = {SECRET}",
    f"2026-05-04T09:14:00Z ike: pre-shared key (15 bytes):\n2026-05-04T09:14:00Z ike:    0: {BYTES}  |{SECRET}|",
    f"skeyid_d\n    {BYTES}",
    f'{{"kind": "event", "at": "2026-05-04T09:00:00Z", "site": "a", "what": "key-changed", "detail": "psk={SECRET}"}}',
)
WORDS: tuple[str, ...] = (
    "\x1b]0;T\x07", "\x1b[41m", "\u202e", "\u2060", "\u061c", "\U000e0041", "\x9b", "\u2028", "[bold]x[/bold]", "²", "٣",
    "9" * 400, "-1", "0", "1e999", "NaN", "4294967296", "0x" + "f" * 40, "0001-01-01T00:00:00+14:00", "9999-12-31T23:59:60Z",
    "2026-02-30 25:61:61", "10.0.0.0/99", "10.0.0.9-10.0.0.1", "::/0", "::ffff:1.2.3.4", "fe80::1%lan", "255.255.255.256",
    "{" * 300, "(" * 300, "=" * 60, "a" * 70_000, "", " " * 500, "\t", "null", "any", "default", "group", "spi", "peer",
    "proposal", "deleted", "up", "0xdeadbeef", "#14", "tcp/0-99999", "none",
)  # fmt: skip
VALUES: tuple[Any, ...] = (
    None, True, 0, -1, 2**70, 1.5, "", [], {}, [[]], {"a": {}}, *WORDS[:36],
)  # fmt: skip
_TEXT = re.compile(rb"[^\s,;\"'()\[\]{}=]+|\s+|.", re.DOTALL)


class Slow(BaseException):
    """A case took too long; no reader's guard may catch it."""


def _cases() -> list[Files]:
    """Small cases of every kind of file."""
    found: list[Files] = []
    for folder in sorted((ROOT / "tests" / "recorded").iterdir()):
        if folder.is_dir():
            files = {str(p.relative_to(folder)): p.read_bytes() for p in folder.rglob("*") if p.is_file()}
            if sum(map(len, files.values())) < 6 * LARGEST:
                found.append(files)
    demo = demo_files()
    for site in ("marram", "gannet", "eelgrass", "whelk", "driftwood"):
        keep = ("case.toml", f"sites/{site}.toml", "sites/quayhead.toml", f"{site}/", "path/")
        found.append({n: d for n, d in demo.items() if n.startswith(keep)})
    found += [made.BASE | files for files in made.CASES.values()]
    # As often as all the recorded ones, as they hold most kinds of tables.
    found += more_cases() * (len(found) // 4)
    texts = [p.read_bytes() for p in sorted((ROOT / "tests" / "drafts").glob("*.conf"))]
    found += [made.BASE | {f"north/{n}.txt": text} for n, text in enumerate(texts)]
    return found


def bent_value(value: Any, chance: random.Random, share: float, odd: Sequence[Any] = VALUES) -> Any:
    """Data of the same shape with some values lost, doubled or odd."""
    if chance.random() < share:
        return chance.choice(odd)
    if isinstance(value, dict):
        return {k: bent_value(v, chance, share, odd) for k, v in value.items() if chance.random() > share / 2}
    if isinstance(value, list):
        out = [bent_value(v, chance, share, odd) for v in value if chance.random() > share / 2]
        return out + ([chance.choice(out)] * chance.randint(1, 40) if out and chance.random() < share else [])
    return value


def _json(data: bytes, chance: random.Random) -> bytes:
    return json.dumps(bent_value(json.loads(data), chance, chance.choice((0.003, 0.02, 0.1)))).encode(
        "utf-8", "replace"
    )


def _rows(data: bytes, chance: random.Random) -> bytes:
    rows = data.splitlines()
    for _ in range(chance.randint(1, 5)):
        if rows:
            at = chance.randrange(len(rows))
            rows[at] = _json(rows[at], chance) if rows[at][:1] == b"{" else _text(rows[at], chance)
    return b"\n".join(rows) + b"\n"


def _text(data: bytes, chance: random.Random) -> bytes:
    """Words taken out, put in, doubled or changed; lines too."""
    if chance.random() < 0.3:
        lines = data.split(b"\n")
        for _ in range(chance.randint(1, 4)):
            at, to = chance.randrange(len(lines)), chance.randrange(len(lines))
            lines[at:at] = chance.choice(([], [lines[to]], [lines[to]] * 50, lines[at:to][:200]))
            del lines[to : to + chance.randint(0, 3)]
            lines = lines or [b""]
        data = b"\n".join(lines)
    words = _TEXT.findall(data)
    for _ in range(chance.randint(1, 12)):
        at = chance.randrange(len(words)) if words else 0
        odd = chance.choice(WORDS).encode("utf-8", "replace")
        words[at : at + chance.randint(0, 2)] = chance.choice(
            ([odd], [odd, b" "], [], [b"\xff\xfe"], words[at : at + 1] * 3)
        )
    return b"".join(words)


def _bytes(data: bytes, chance: random.Random) -> bytes:
    out = bytearray(data[: chance.choice((len(data), len(data), chance.randrange(len(data) + 1)))])
    for _ in range(chance.randint(1, 10)):
        if out:
            at = chance.randrange(len(out))
            out[at : at + chance.randint(0, 4)] = chance.randbytes(chance.randint(0, 4))
    return bytes(out)


def _bend(name: str, data: bytes, chance: random.Random) -> bytes:
    try:
        kind: Callable[[bytes, random.Random], bytes] = (
            _bytes if chance.random() < 0.1 or name.endswith((".pcap", ".pcapng"))
            else _json if name.endswith(".json") and data[:1] in b"{["
            else _rows if name.endswith(".jsonl")
            else _text
        )  # fmt: skip
        return kind(data, chance)
    except (ValueError, RecursionError, UnicodeError):
        return _bytes(data, chance)


def _obeyed(text: str) -> str:
    """What a terminal would obey, or nobody would see."""
    return "".join(sorted({c for c in text if c != "\n" and unicodedata.category(c) in ("Cc", "Cf", "Zl", "Zp", "Cs")}))


def _wrong(examined: Examined) -> str:
    """What of a case's output must not be there; empty where all is well."""
    found = summary_of(examined)
    printed = (check_text(found), ask_text(found), as_json_bytes(found).decode())
    for text in printed:
        if _obeyed(text):
            return f"printed: {_obeyed(text)!r}"
        if SECRET in text or BYTES in text:
            return "a secret was printed"
    return next(
        (p.text for p in examined.evidence.problems if "error of this program" in p.text or "the rule" in p.text), ""
    )


class Cases:
    """Bends one file of a case at a time and looks at what comes of it."""

    def __init__(self, seed: int) -> None:
        self._seed = seed
        self._cases = _cases()

    def one(self, number: int) -> tuple[str, Files]:
        """What was wrong with the bent case of a number, and its files; nothing wrong is an empty text. Its chance is of its own,
        so that one is repeated without those before it."""
        chance = random.Random(f"{self._seed} {number}")
        files = dict(chance.choice(self._cases))
        name = chance.choice([n for n, data in files.items() if len(data) < LARGEST] or list(files))
        files[name] = _bend(name, files[name], chance)
        if chance.random() < 0.3 and not name.endswith((".pcap", ".pcapng", ".json", ".toml")):
            files[name] += b"\n" + chance.choice(PLANTED).encode() + b"\n"
        signal.signal(signal.SIGALRM, _too_slow)
        signal.setitimer(signal.ITIMER_REAL, SLOW_S)
        try:
            return self._look(files, name), files
        except Slow:
            return f"{name} took more than {SLOW_S} s", files
        except Exception as error:
            return f"{name}: {type(error).__name__}: {error}", files
        finally:
            signal.setitimer(signal.ITIMER_REAL, 0)

    def _look(self, files: Files, name: str) -> str:
        with tempfile.TemporaryDirectory() as place:
            write(Path(place), files)
            wrong = _wrong(examine([Path(place)], keep=False))
            try:
                draft, left = drafted(Path(place) / name)
            except UsageError:
                return wrong
        told = draft + "".join(words for _, words in left)
        if SECRET in told or BYTES in told or _obeyed(told):
            wrong = wrong or f"a draft holds {_obeyed(told)!r} or a secret"
        return wrong


def write(place: Path, files: Files) -> None:
    """A case as a folder."""
    for name, data in files.items():
        path = place / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)


def _too_slow(*_rest: object) -> None:
    raise Slow
