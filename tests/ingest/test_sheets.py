"""Site sheets: read part by part, written back with their comments, started from little, and as YANG data."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest
from click.testing import CliRunner
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace

from stomion.cli.main import root
from stomion.errors import UnreadableInput, UsageError
from stomion.ingest.sheet import line_map, read_sheet
from stomion.ingest.yang import ike_data, read_model_data
from stomion.jobs.examine import Examined
from stomion.jobs.keymark import key_mark
from stomion.jobs.sheets import started_sheet, with_tunnel
from stomion.model.mark_words import MARK_WORDS

GOOD = """\
# our side
site = "saltern"

[[interface]]
name = "wan0"
addresses = ["203.0.113.10/29"]

[[tunnel]]  # the only one
name = "quayhead-saltern"
peer_site = "quayhead"
local = "203.0.113.10"
peer = "192.0.2.10"
ike = 2
local_ts = ["10.64.0.0/21"]   # all floors
remote_ts = ["10.96.0.0/20"]
dpd = { interval_s = 10, retries = 3 }
[[tunnel.ike_proposal]]
encryption = ["aes-256-gcm"]
prf = ["sha384"]
group = ["modp2048", 19]

[[filter]]
name = "ops"
match = { from_zone = "tunnel", service = ["tcp/80", "icmp"] }
action = "allow"
"""


def test_a_good_sheet_gives_no_trouble_and_knows_its_lines() -> None:
    reading = read_sheet(GOOD)
    assert reading.troubles == []
    parts = {k: v for k, v in reading.sheet.lines.items() if k.count(".") == 1}
    assert parts == {"interface.0": 4, "tunnel.0": 8, "filter.0": 22}
    assert reading.sheet.lines["tunnel.0.ike_proposal.0.group"] == 20 and reading.sheet.lines["tunnel.0.ike"] == 13
    assert reading.sheet.filter[0].match.service == ("tcp/80", "icmp")
    assert line_map(GOOD)["tunnel.0.ike_proposal.0.group"] == 20


# what is changed in the good sheet: (from, to, the line named, words of the trouble)
WRONG = {
    "choice": ("ike = 2", "ike = 3", 13, "ike = 3; expected one of 1, 2"),
    "type": ("ike = 2", 'ike = "two"', 13, "text found, a whole number expected"),
    "host bits": ("10.64.0.0/21", "10.64.0.1/21", 14, "has host bits set; read as 10.64.0.0/21"),
    "no prefix": ("10.64.0.0/21", "ten dot", 14, "is no range"),
    "algorithm": ("aes-256-gcm", "rot13", 18, "'rot13' is no known algorithm; expected one like AES-CBC-256"),
    "group": ("modp2048", "modp17", 20, "is no known group"),
    "slip": ("peer_site", "peer_sit", 10, "peer_sit is no key of a sheet; is peer_site meant?"),
    "address": ("203.0.113.10/29", "203.0.113.300/29", 6, "is no address with its prefix length"),
    "action": ('"allow"', '"let in"', 25, "expected one of 'allow', 'drop', 'reject'"),
    "missing": ('name = "ops"\n', "", None, ""),
    "table": ("[[filter]]", "[filter]", 22, "is no list of tables"),
}


@pytest.mark.parametrize(("old", "new", "line", "words"), WRONG.values(), ids=WRONG.keys())
def test_what_is_wrong_is_named_with_its_line_and_the_rest_counts(
    old: str, new: str, line: int | None, words: str
) -> None:
    reading = read_sheet(GOOD.replace(old, new, 1))
    assert (line is not None) == bool(reading.troubles)
    if line is not None:
        places, texts = zip(*reading.troubles, strict=True)
        at = next(i for i, text in enumerate(texts) if words in text)
        assert places[at] == line
    assert reading.sheet.site == "saltern"
    assert reading.sheet.tunnel[0].remote_ts == ("10.96.0.0/20",)


@pytest.mark.parametrize("text", ["", "site = 3", "site = ", "[" * 3000, 'name = "x"'])
def test_what_is_no_sheet_at_all_is_said_so(text: str) -> None:
    with pytest.raises(UnreadableInput):
        read_sheet(text)


@given(st.text(max_size=60), st.sampled_from([x for x in GOOD.split("\n") if "=" in x]))
def test_a_mangled_line_never_stops_the_reading(noise: str, line: str) -> None:
    try:
        read_sheet(GOOD.replace(line, line.split("=")[0] + "= " + noise))
    except UnreadableInput:
        pass


def test_only_what_changed_is_rewritten_and_comments_stay() -> None:
    tunnel = read_sheet(GOOD).sheet.tunnel[0]
    assert with_tunnel(GOOD, tunnel) == GOOD
    proposals = (replace(tunnel.ike_proposal[0], group=(14, 19)),)
    changed = with_tunnel(GOOD, replace(tunnel, local_ts=("10.64.0.0/22",), ike_proposal=proposals, dpd=None))
    assert "# our side" in changed and "# the only one" in changed and "# all floors" in changed
    again = read_sheet(changed).sheet.tunnel[0]
    assert (again.local_ts, again.ike_proposal[0].group, again.dpd) == (("10.64.0.0/22",), (14, 19), None)
    with pytest.raises(UsageError):
        with_tunnel(GOOD, replace(tunnel, name="another"))


def test_a_started_sheet_is_a_good_one_and_both_ends_of_it_agree(case: Callable[..., Examined]) -> None:
    a = started_sheet("saltern", "quayhead", "203.0.113.10", "192.0.2.10", "10.64.0.0/21", "10.96.0.0/20")
    b = started_sheet("quayhead", "saltern", "192.0.2.10", "203.0.113.10", "10.96.0.0/20", "10.64.0.0/21")
    assert read_sheet(a).troubles == []
    (tunnel,) = case({"sites/saltern.toml": a, "sites/quayhead.toml": b}).tunnels
    assert tunnel.findings == ()
    with pytest.raises(UsageError, match="host bits"):
        started_sheet("saltern", "quayhead", "203.0.113.10", "192.0.2.10", "10.64.0.1/21", "10.96.0.0/20")


def test_troubles_of_a_case_have_file_and_line(case: Callable[..., Examined]) -> None:
    other = GOOD.replace('site = "saltern"', 'site = "marram"')
    found = case({"sites/a.toml": GOOD.replace("ike = 2", "ike = 9"), "sites/b.toml": GOOD, "sites/c.toml": other})
    said = [(p.file, p.line, p.text) for p in found.evidence.problems]
    assert ("sites/a.toml", 13, "ike = 9; expected one of 1, 2") in said
    assert any(f == "sites/b.toml" and "has a sheet already" in t for f, _, t in said)
    assert any(f == "sites/c.toml" and "is saltern's as well" in t for f, _, t in said)


def test_tunnels_survive_the_way_through_yang_data() -> None:
    sheet = read_sheet(
        started_sheet("saltern", "quayhead", "203.0.113.10", "192.0.2.10", "10.64.0.0/21", "10.96.0.0/20")
    ).sheet
    again = read_model_data(json.dumps(ike_data(sheet)), "saltern").tunnel[0]
    tunnel = sheet.tunnel[0]
    for name in ("name", "local", "peer", "ike", "initiate", "local_id", "remote_id", "local_ts", "remote_ts"):
        assert getattr(again, name) == getattr(tunnel, name), name
    assert again.ike_proposal[0].encryption == tunnel.ike_proposal[0].encryption
    assert again.ike_proposal[0].group == tunnel.ike_proposal[0].group
    assert again.esp_proposal[0].lifetime_s == 3600


MODELS = {
    "ietf-interfaces:interfaces": {"interface": [
        {"name": "wan0", "ietf-ip:ipv4": {"address": [{"ip": "203.0.113.10", "prefix-length": 29}]}},
        {"name": "lan0", "ietf-ip:ipv4": {"address": [{"ip": "10.64.0.1", "netmask": "255.255.248.0"}]}},
    ]},
    "ietf-routing:routing": {"control-plane-protocols": {"control-plane-protocol": [{"static-routes": {
        "ietf-ipv4-unicast-routing:ipv4": {"route": [
            {"destination-prefix": "0.0.0.0/0", "next-hop": {"next-hop-address": "203.0.113.9"}},
            {"destination-prefix": "10.96.9.0/24", "next-hop": {"special-next-hop": "blackhole"}},
        ]}}}]}},
    "ietf-access-control-list:acls": {"acl": [{"name": "in", "aces": {"ace": [
        {"name": "web", "matches": {"ipv4": {"source-ipv4-network": "10.96.0.0/20"},
                                    "tcp": {"destination-port": {"operator": "eq", "port": 80}}},
         "actions": {"forwarding": "ietf-access-control-list:accept"}},
        {"name": "rest", "matches": {}, "actions": {"forwarding": "drop"}},
    ]}}]},
}  # fmt: skip


def test_the_other_models_become_the_same_parts() -> None:
    sheet = read_model_data(json.dumps(MODELS), "saltern")
    assert [i.addresses for i in sheet.interface] == [("203.0.113.10/29",), ("10.64.0.1/21",)]
    assert [(r.destination, r.via, r.type) for r in sheet.route] == [
        ("0.0.0.0/0", "203.0.113.9", ""),
        ("10.96.9.0/24", "", "blackhole"),
    ]
    assert [(f.name, f.action, f.match.service) for f in sheet.filter] == [
        ("web", "allow", ("tcp/80",)),
        ("rest", "drop", ()),
    ]


@pytest.mark.parametrize("text", ["[]", "{", '{"ietf-ipv4:x": 3}', '{"a":' * 3000, '{"interfaces": {"interface": 5}}'])
def test_damaged_model_data_is_refused_or_empty(text: str) -> None:
    try:
        assert read_model_data(text, "x").tunnel == ()
    except UnreadableInput:
        pass


def test_model_data_stands_for_a_sheet_that_is_not_there(case: Callable[..., Examined]) -> None:
    found = case({"saltern/model.json": json.dumps(MODELS)})
    assert found.evidence.addresses["saltern"] == {"203.0.113.10", "10.64.0.1"}
    assert found.evidence.sheets[0].route[0].via == "203.0.113.9"


def test_marks_of_keys() -> None:
    assert len(set(MARK_WORDS)) == 256
    mark = key_mark("a long secret", ("quayhead.example", "Saltern.example"))
    assert mark == key_mark("a long secret", ("saltern.example", "quayhead.example"))
    assert mark.count("-") == 3
    assert mark != key_mark("a long secret ", ("quayhead.example", "saltern.example"))
    assert mark != key_mark("a long secret", ("quayhead.example", "marram.example"))
    for key, names in (("", ("a", "b")), ("k", ("a", "a")), ("k", ("", "b"))):
        with pytest.raises(UsageError):
            key_mark(key, names)


def test_the_commands(tmp_path: Path) -> None:
    run = CliRunner().invoke
    target = tmp_path / "saltern.toml"
    given = ["--peer-site", "quayhead", "--local", "203.0.113.10", "--peer", "192.0.2.10", "--lan", "10.64.0.0/21"]
    done = run(root, ["sheet", "new", "saltern", *given, "-o", str(target)], input="10.96.0.0/20\n")
    assert done.exit_code == 0 and read_sheet(target.read_text()).sheet.site == "saltern"
    assert isinstance(
        run(root, ["sheet", "new", "saltern", *given, "--far-lan", "10.96.0.0/20", "-o", str(target)]).exception,
        UsageError,
    )
    assert run(root, ["sheet", "look", str(target)]).exit_code == 0
    target.write_text(GOOD.replace("ike = 2", "ike = 9"))
    looked = run(root, ["sheet", "look", str(target)])
    assert (looked.exit_code, looked.output) == (1, f"{target}:13: ike = 9; expected one of 1, 2\n")
    assert "ietf-i2nsf-ike" in run(root, ["sheet", "yang", str(target)]).output
    marked = run(root, ["keymark", "q.example", "s.example"], input="reef 7\nreef 7\n")
    assert marked.stdout.strip() == key_mark("reef 7", ("q.example", "s.example"))
    assert "blanks inside" in marked.stderr and "reef" not in marked.output
    assert isinstance(run(root, ["keymark", "q.example", "s.example"], input="a\nb\n").exception, UsageError)
