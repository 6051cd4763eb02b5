"""The fewest changes for what is expected: found by trying, one obstacle behind the other."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from stomion.jobs.examine import Examined
from stomion.jobs.handover import lacking
from stomion.whatif.needed import needs_of

Case = Callable[[dict[str, str | bytes]], Examined]
ASH = """site = "ash"
[[interface]]
name = "wan0"
addresses = ["192.0.2.10/29"]
zone = "outside"
[[interface]]
name = "lan0"
addresses = ["10.1.0.1/24"]
zone = "inside"
[[tunnel]]
name = "ash-birch"
peer_site = "birch"
local = "192.0.2.10"
peer = "198.51.100.20"
ike = 2
local_ts = ["10.1.0.0/24"]
remote_ts = ["10.2.0.0/24"]
[[route]]
destination = "0.0.0.0/0"
via = "192.0.2.9"
interface = "wan0"
"""
BIRCH = (
    ASH.replace('"ash"', '"X"').replace('"birch"', '"ash"').replace('"X"', '"birch"')
    .replace('local = "192.0.2.10"\npeer = "198.51.100.20"', 'local = "198.51.100.20"\npeer = "192.0.2.10"')
    .replace("192.0.2.10/29", "198.51.100.20/29").replace("192.0.2.9", "198.51.100.17").replace("10.1.0.1/24", "10.2.0.1/24")
    .replace('local_ts = ["10.1.0.0/24"]\nremote_ts = ["10.2.0.0/24"]', 'local_ts = ["10.2.0.0/24"]\nremote_ts = ["10.1.0.0/24"]')
)  # fmt: skip
NAT = '[[translation]]\nmatch = { out_interface = "wan0", source = "10.1.0.0/24" }\naction = "masquerade"\n'
BLOCK = '[[filter]]\nname = "nothing from ash"\nmatch = { source = "10.1.0.0/24" }\naction = "drop"\n'
ALLOW = '[[filter]]\nname = "web"\nmatch = { source = "10.1.0.0/24", destination = "10.2.0.20", service = ["tcp/80"] }\naction = "allow"\n'


def _expect(*rows: tuple[str, str, str, str]) -> str:
    return "".join(f'[[expect]]\nfrom = "{a}"\nto = "{b}"\nservice = "{c}"\noutcome = "{d}"\n' for a, b, c, d in rows)


WEB = ("ash", "10.2.0.20", "tcp/80", "reach")


def _made(examined: Examined) -> list[tuple[str, str]]:
    found = needs_of(examined.tunnels[0].picture)
    return [(n.site, n.words) for n in found.changes] if found is not None else []


@pytest.mark.parametrize(
    ("ash", "birch", "expect", "made"),
    [
        ("", "", [WEB], []),
        ("", BLOCK, [WEB], [("birch", "in filter add above rule 1 “nothing from ash”: allow 10.1.0.0/24 > 10.2.0.20/32 tcp/80")]),
        ("", BLOCK + ALLOW, [WEB], [("birch", "in filter move rule 2 “web” above rule 1 “nothing from ash”")]),
        (NAT, BLOCK + ALLOW, [WEB], [
            ("ash", "in translation add above rule 1: exempt 10.1.0.0/24 > 10.2.0.0/24"),
            ("birch", "in filter move rule 2 “web” above rule 1 “nothing from ash”"),
        ]),
        ("", BLOCK, [WEB, ("ash", "10.2.0.20", "tcp/443", "reach")], [
            ("birch", "in filter add above rule 1 “nothing from ash”: allow 10.1.0.0/24 > 10.2.0.20/32 tcp/80,tcp/443"),
        ]),
        ("", ALLOW, [("ash", "10.2.0.20", "tcp/80", "blocked")], [
            ("birch", "in filter add above rule 1 “web”: drop 10.1.0.0/24 > 10.2.0.20/32 tcp/80"),
        ]),
    ],
)  # fmt: skip
def test_the_fewest_changes_in_order(
    case: Case, ash: str, birch: str, expect: list[tuple[str, str, str, str]], made: list[tuple[str, str]]
) -> None:
    files = {"sites/ash.toml": ASH + ash, "sites/birch.toml": BIRCH + birch, "case.toml": _expect(*expect)}
    assert _made(case(dict(files))) == made


def test_what_was_seen_as_wanted_lacks_nothing(case: Case) -> None:
    test = '{"kind":"test","at":"2026-05-04T09:14:00Z","from":"ash/host-a","to":"10.2.0.20","service":"tcp/80","sent":3,"received":3}\n'
    files = {"sites/ash.toml": ASH, "sites/birch.toml": BIRCH + BLOCK, "path/tests.jsonl": test}
    assert _made(case(dict(files))) == []


def test_the_list_for_an_end_names_its_own_and_what_the_other_has_to_do(case: Case) -> None:
    files = {"sites/ash.toml": ASH + NAT, "sites/birch.toml": BIRCH + BLOCK, "case.toml": _expect(WEB)}
    picture = case(dict(files)).tunnels[0].picture
    first, second = lacking(picture, "birch")
    assert first.startswith("ash has to: in translation add") and second.startswith("in filter add above rule 1")
