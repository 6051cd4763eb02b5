"""What lines of one shape say is worked out once: it must be what each of them says when it is read by itself."""

import json
import random
import re
from collections.abc import Iterator
from functools import partial
from pathlib import Path

import pytest

from stomion.logs import plans
from stomion.logs import understand as reading
from stomion.logs.alike import filled, mark
from stomion.logs.clock import Clock
from stomion.logs.phrasebook import phrase
from stomion.logs.plans import Plans
from stomion.logs.reader import LogState, read_log, understand_line
from stomion.logs.understand import event_of, understand
from stomion.model.event import What
from stomion.model.provenance import Provenance

NOWHERE = Provenance("")
LINES = sorted(json.loads((Path(__file__).parent / "understood.json").read_text()))
_VALUE = re.compile(
    r"(?<![\w.])(?:\d{1,3}(?:\.\d{1,3}){3}(?![\w/.])|[0-9a-f]{8,}(?!\w)|(?<=[\[#{<|])\d{1,9}(?=[\]}>:])|\d{3,7}(?=[ s]))"
)


@pytest.fixture(autouse=True)
def _trusted_at_once(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    monkeypatch.setattr(reading, "ENOUGH", 0)
    reading.forget()
    yield
    reading.forget()


def _varied(line: str, chance: random.Random) -> str:
    def other(m: re.Match[str]) -> str:
        text = m[0]
        if "." in text:
            return f"{chance.choice(('203.0.113', '198.51.100', '10.64.7', '0.0.0', '255.255.255'))}.{chance.randint(0, 255)}"
        if text.isdecimal():
            return str(chance.choice((int(text), 500, 14, 2048, chance.randint(1, 10 ** len(text) - 1))))
        return "".join(chance.choice("0123456789abcdef") for _ in text)

    return _VALUE.sub(other, line)


@pytest.mark.parametrize("part", range(4))
def test_every_line_says_what_it_says_by_itself(part: int) -> None:
    chance = random.Random(part)
    wrong = []
    for line in LINES[part::4]:
        for one in (line, _varied(line, chance), _varied(line, chance)):
            alone = event_of.__wrapped__(one)
            found = understand(one, NOWHERE)
            if found != (alone and reading._at(alone, NOWHERE)):
                wrong.append(one)
    assert wrong == []
    assert sum(shape.usable for shape in reading._SHAPES.values()) > len(LINES) / 8


@pytest.mark.parametrize("part", range(2))
def test_a_log_tells_the_same_with_and_without_what_is_remembered(part: int, monkeypatch: pytest.MonkeyPatch) -> None:
    """Shapes with what was taught of them, how lines are cut, seconds: all of it only saves time."""
    chance = random.Random(part)
    stamp = "2026-05-04T09:1{}:0{}.{:03d}Z gw "
    lines = [
        stamp.format(n % 3, n % 7, chance.randrange(1_000)) + one
        for n, line in enumerate(LINES[part::2])
        for one in (line, *(_varied(line, chance) for _ in range(4)))
    ]
    taught = [phrase("no answer from {peer}", "peer does not answer"), phrase("[{sa}] established", "IKE SA up")]
    read = partial(read_log, file="x", site="quayhead", year=2026, phrases=taught)
    quick: list[bool] = []
    monkeypatch.setattr(plans, "filled", lambda *of: quick.append(True) or filled(*of))
    found = list(read(enumerate(lines, 1)))
    assert len(quick) > len(lines) / 4
    monkeypatch.setattr(Plans, "event_of", lambda self, line, rest, where: self._read(line, rest, where))
    monkeypatch.setattr(Clock, "_again", lambda *_: None)
    reading.forget()
    assert list(read(enumerate(lines, 1))) == found


@pytest.mark.parametrize("line", ["a record of\nseveral lines", "a line alone"])
def test_what_is_known_of_one_line_is_not_taken_for_the_next(line: str) -> None:
    state = LogState(Clock(2026))
    state.plans.quiet = True
    understand_line(line, NOWHERE, state)
    assert not state.plans.quiet


def test_the_same_value_stands_behind_the_same_stand_in_wherever_it_is() -> None:
    marked = mark("#12: SPI 0xc1a2b3d4 of 203.0.113.9[4501] replaces c1a2b3d4 at 203.0.113.9, [7] 203.0.113.10")
    assert marked is not None
    assert sorted(marked.values.values()) == ["12", "203.0.113.10", "203.0.113.9", "4501", "7", "c1a2b3d4"]
    back = marked.text
    for stand, value in marked.values.items():
        back = back.replace(stand, value)
    assert back == "#12: SPI 0xc1a2b3d4 of 203.0.113.9[4501] replaces c1a2b3d4 at 203.0.113.9, [7] 203.0.113.10"


@pytest.mark.parametrize(
    "text",
    ["port 500 used", "10.64.0.0/21", "255.255.255.0", "127.0.0.1", "224.0.0.5", "0.0.0.0", "gw-1234 up", "1.5 s"],
)
def test_what_its_value_means_something_by_is_left(text: str) -> None:
    marked = mark(f"it is {text} here")
    assert marked is not None and marked.values == {}


def test_numbers_of_algorithms_are_no_values() -> None:
    for size, bits in (("256", "2048"), ("128", "3072"), ("192", "4096")):
        event = understand(
            f"[12] proposal refused: they offered AES {size} bit with MODP {bits} here in 1200 ms", NOWHERE
        )
        assert event is not None and event.theirs is not None
        assert (
            size in str(event.theirs)
            and event.theirs.group == {"2048": ("14",), "3072": ("15",), "4096": ("16",)}[bits]
        )


def test_a_shape_that_does_not_hold_is_given_up(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(reading, "ENOUGH", 2)
    line = "conn a: no answer from 203.0.113.7, giving up"
    assert (first := understand(line, NOWHERE)) is not None and first.what is What.GAVE_UP
    (shape,) = reading._SHAPES.values()
    shape.gaps = ()
    second = understand(line.replace("113.7", "113.8"), NOWHERE)
    assert second is not None and second.peer == "203.0.113.8"
    assert not shape.usable
    third = understand(line.replace("113.7", "113.9"), NOWHERE)
    assert third is not None and third.peer == "203.0.113.9"


def test_shapes_are_bounded(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(reading, "SHAPES_KEPT", 8)
    words = ["alpha", "beta", "gamma", "delta", "eps", "zeta", "eta", "theta", "iota", "kappa", "mu", "nu"]
    for word in words:
        understand(f"conn {word}: no answer from 203.0.113.7", NOWHERE)
    assert len(reading._SHAPES) <= 8
