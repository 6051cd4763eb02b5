"""Logs in words that nobody knows: what ties their lines together, the kinds of their values, and how far one came."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime

import pytest

from stomion.jobs.examine import Examined
from stomion.logs.clock import on_their_days, wall_clock
from stomion.logs.context import Progress, by_context
from stomion.logs.reader import read_log
from stomion.logs.subjects import Subjects, subjects_of
from stomion.logs.timestamps import day_in
from stomion.logs.understand import understand
from stomion.logs.unknown import unknown_words
from stomion.model.event import What
from stomion.model.finding import Certainty
from stomion.model.provenance import Provenance

Case = Callable[[dict[str, str | bytes]], Examined]
NORTH = {
    "peer": "198.51.100.71", "link": "to-south", "number": "7", "name": "south.lantern.example", "near": "10.20.4.0/22",
    "far": "10.30.8.0/24", "in": "c41f0a22", "out": "9be07731",
}  # fmt: skip
SOUTH = {
    "peer": "192.0.2.44", "link": "to-north", "number": "12", "name": "north.lantern.example", "near": "10.30.8.0/24",
    "far": "10.20.4.0/22", "in": "9be07731", "out": "c41f0a22",
}  # fmt: skip
TELEGRAMS = {
    "boot": "KM BOOT WALL 2026-06-01 09:00:00Z",
    "calls": "KM {link} OPEN>> {peer} V2",
    "called": "KM {link} OPEN<< {peer} V2",
    "suite": "KM {link} SUITE OK AES-CBC-256/HMAC-SHA2-256/DH14",
    "proof": "KM {link} PEER PROOF OK ID {name}",
    "ike": "KM {link} CTRL UP 5d1e90ab77c2f014/a10b22c3d4e5f607",
    "child": "KM {link} DATA UP {near} <-> {far} IN {in} OUT {out}",
    "other suite": "KM {link} OPEN<< DROPPED: SUITES APART. THEIRS AES-CBC-128/HMAC-SHA2-256/DH14 OURS AES-CBC-256/HMAC-SHA2-256/DH14",
    "bounced": "KM {link} OPEN>> BOUNCED NTF 14",
    "bounced at proof": "KM {link} OPEN>> BOUNCED NTF 24",
    "false key": "KM {link} PEER PROOF BAD (SHARED KEY), NTF 24 OUT",
    "other name": "KM {link} PEER PROOF BAD: ID gw.brook.example NOT {name}, NTF 24 OUT",
    "other nets": "KM {link} DATA DROPPED: NETS APART. THEIRS 10.20.4.0/22={near} OURS 10.20.0.0/22={near}",
    "nets bounced": "KM {link} DATA BOUNCED NTF 38",
    "again": "KM {link} RESEND 1",
    "over": "KM {link} OPEN>> DEAD, PEER MUTE",
    "quiet": "KM {link} PING LOST",
    "hung up": "KM {link} FAR END HUNG UP",
    "closed": "KM {link} CLOSED BY OPERATOR root",
    "stranger": "KM ? OPEN<< {peer} V2 NO LINK FOR IT, NTF 14 OUT",
    "else": "FW DROP TCP 203.0.113.9:41000",
}
SENTENCES = {
    "boot": "The encryption service was brought into operation.",
    "calls": "Case {number}: a conversation with the station at {peer} was opened from here under the rules of version 2.",
    "called": "Case {number}: a conversation was opened by the station at {peer} under the rules of version 2.",
    "suite": "Case {number}: a common set of methods was found, namely AES-CBC-256 with HMAC-SHA2-256 and exchange group 14.",
    "proof": "Case {number}: the station's papers, made out to {name}, were found in order.",
    "ike": "Case {number}: the conversation was put under seal.",
    "child": "Case {number}: passage was opened between {near} and {far} (marks {in} inward, {out} outward).",
    "other suite": "Case {number}: no common set of methods was found; the station named AES-CBC-128 with HMAC-SHA2-256 and group 14,"
    " permitted here is AES-CBC-256 with HMAC-SHA2-256 and exchange group 14.",
    "bounced": "Case {number}: word was received from the station that no common set of methods was found.",
    "bounced at proof": "Case {number}: word was received from the station that our papers were not in order.",
    "false key": "Case {number}: the station's papers, made out to {name}, were found not in order: not signed with the secret kept here.",
    "other name": "Case {number}: the station's papers were made out to gw.brook.example and not to {name} and it was turned back.",
    "other nets": "Case {number}: passage between 10.20.4.0/22 and {near} was requested by the station,"
    " foreseen here is 10.20.0.0/22 and {near}.",
    "nets bounced": "Case {number}: word was received from the station that passage between {near} and {far} is not foreseen there.",
    "again": "Case {number}: nothing was heard and the letter was sent once more.",
    "over": "Case {number}: nothing was heard and the matter was dropped.",
    "quiet": "Case {number}: the station was called and gave no sign.",
    "hung up": "Case {number}: the station withdrew.",
    "closed": "Case {number}: the conversation was closed at the wish of the operator.",
    "stranger": "A conversation was opened under the rules of version 2 by the station at {peer}, with which nothing has been arranged.",
    "else": "A visitor from 203.0.113.9 gave a wrong password at the console.",
}
STATES = {
    "calls": "lk {link} IDLE -> CALL peer={peer} version=2",
    "called": "lk {link} IDLE -> ANSWER peer={peer} version=2",
    "suite": "lk {link} -> SUITED AES-CBC-256+HMAC-SHA2-256+14",
    "proof": "lk {link} -> TRUSTED {name}",
    "ike": "lk {link} -> STEADY",
    "child": "lk {link} flow -> STEADY {near}|{far} 0x{in}|0x{out}",
    "other suite": "lk {link} -> BROKEN cause=suite theirs=AES-CBC-128+HMAC-SHA2-256+14 ours=AES-CBC-256+HMAC-SHA2-256+14",
    "bounced": "lk {link} CALL -> BROKEN cause=remote(14)",
    "bounced at proof": "lk {link} SUITED -> BROKEN cause=remote(24)",
    "false key": "lk {link} SUITED -> BROKEN cause=secret",
    "other name": "lk {link} SUITED -> BROKEN cause=identity theirs=gw.brook.example ours={name}",
    "other nets": "lk {link} flow ANSWER -> BROKEN cause=range theirs=10.20.4.0/22|{near} ours=10.20.0.0/22|{near}",
    "nets bounced": "lk {link} flow CALL -> BROKEN cause=remote(38)",
    "again": "lk {link} CALL -> CALL resend=1",
    "over": "lk {link} CALL -> BROKEN cause=silence",
    "quiet": "lk {link} STEADY -> STEADY probe=lost",
    "stranger": "lk ? IDLE -> BROKEN cause=unknown-peer peer={peer} version=2",
    "else": "pf drop 203.0.113.9",
}
REMARKS = {
    "boot": "boot complete",
    "calls": "key bargain launched toward {peer} (rev 2)",
    "called": "key bargain solicited by {peer} (rev 2)",
    "suite": "terms concluded: AES-CBC-256 / HMAC-SHA2-256 / MODP-2048",
    "proof": "{name} vouched for",
    "ike": "key channel erected",
    "child": "payload channel erected {near} :: {far} (rx {in} tx {out})",
    "other suite": "no terms: bid AES-CBC-128 / HMAC-SHA2-256 / MODP-2048, stock AES-CBC-256 / HMAC-SHA2-256 / MODP-2048",
    "bounced": "our bid was spurned (14)",
    "bounced at proof": "our voucher was spurned (24)",
    "false key": "{name} not vouched for: secrets diverge",
    "other name": "gw.brook.example presented, {name} stipulated",
    "other nets": "networks diverge: bid 10.20.4.0/22 :: {near}, stock 10.20.0.0/22 :: {near}",
    "nets bounced": "our networks were spurned (38)",
    "again": "launch repeated",
    "over": "launch fizzled, the peer stayed quiet",
    "quiet": "heartbeat absent",
    "stranger": "key bargain solicited by {peer} (rev 2), nobody by that address in the roster",
    "hung up": "key channel razed by the peer",
    "closed": "key channel razed at the wish of the operator",
    "else": "frame by 203.0.113.9 binned",
}
BODIES = {
    "calls": "=> {peer} first message, version 2\n        sa\n        ke",
    "called": "<= {peer} first message, version 2\n        sa\n        ke",
    "suite": "== {peer} suite\n        AES-CBC-256 HMAC-SHA2-256 dh 14",
    "proof": "== {peer} identity\n        {name} holds",
    "ike": "== {peer} parent stands\n        cookies 5d1e90ab77c2f014 a10b22c3d4e5f607",
    "child": "== {peer} child stands\n        {near} and {far}\n        spi {in} {out}",
    "other suite": "!! {peer} suite\n        wanted AES-CBC-256 HMAC-SHA2-256 dh 14\n        given AES-CBC-128 HMAC-SHA2-256 dh 14",
    "bounced": "<= {peer} first message, version 2\n        notify 14",
    "bounced at proof": "<= {peer} second message\n        notify 24",
    "false key": "!! {peer} identity\n        {name} does not hold\n        shared key",
    "other name": "!! {peer} identity\n        wanted {name}\n        given gw.brook.example",
    "other nets": "!! {peer} child networks\n        wanted 10.20.0.0/22 and {near}\n        given 10.20.4.0/22 and {near}",
    "nets bounced": "<= {peer} child message\n        notify 38",
    "again": "=> {peer} first message, version 2, copy 2",
    "over": "!! {peer} left alone\n        nothing came",
    "quiet": "!! {peer} not alive",
    "stranger": "!! {peer} first message, version 2\n        not in the table",
    "hung up": "<= {peer} delete\n        parent",
    "closed": "=> {peer} delete\n        parent\n        operator",
    "else": "!! console 203.0.113.9\n        refused",
}
START = datetime(2026, 6, 1, 9, tzinfo=UTC).timestamp()


def _counted(at: float, text: str) -> str:
    return f"T+{at - START + 86_400:011.3f} {text}\n"


def _named(at: float, text: str) -> str:
    return f"{datetime.fromtimestamp(at, UTC):%A %d %B %Y at %I:%M:%S %p} UTC, gate. {text}\n"


def _dated(at: float, text: str) -> str:
    return f"{datetime.fromtimestamp(at, UTC):%d/%b/%y %H:%M:%S}.000 gate {text}\n"


def _in_the_last_column(at: float, text: str) -> str:
    """Several lines are of one second: their order alone tells which came first."""
    owner = "" if "203.0" in text else "to-other"
    return f'"{text}",gate,{owner},{datetime.fromtimestamp(at - at % 3, UTC):%Y-%m-%d %H:%M:%S}\n'


MAKES = {
    "telegrams": (TELEGRAMS, _counted), "sentences": (SENTENCES, _named), "states": (STATES, _dated), "bodies": (BODIES, _dated),
    "newest first": (REMARKS, _in_the_last_column),
}  # fmt: skip
UP = ["suite", "proof", "ike", "child"]
TOLD: dict[str, tuple[list[str], list[str], set[str]]] = {
    "it works": (["calls", *UP], ["called", *UP], set()),
    "another suite": (["calls", "bounced"] * 3, ["called", "other suite"] * 3, {"ike-proposal-mismatch"}),
    "another key": (["calls", "suite", "bounced at proof"] * 3, ["called", "suite", "false key"] * 3, {"key-mismatch"}),
    "another name": (["calls", "suite", "bounced at proof"] * 3, ["called", "suite", "other name"] * 3, {"identity-mismatch"}),
    "other networks": (["calls", *UP[:3], "nets bounced"], ["called", *UP[:3], "other nets"], {"selectors-unacceptable"}),
    "no answer": (["calls", "again", "again", "over"] * 2, [], {"peer-silent"}),
    "the peer is lost": (["calls", *UP, "quiet", "quiet", "calls", "again", "over"], ["called", *UP], {"peer-gone"}),
    "a stranger": (["calls", "bounced"] * 3, ["stranger"] * 3, {"no-matching-peer"}),
    "the key was mended": (
        ["calls", "suite", "bounced at proof", "calls", *UP], ["called", "suite", "false key", "called", *UP], set(),
    ),
    "hung up": (["calls", *UP, "hung up"], ["called", *UP, "closed"], {"deleted-by-peer"}),
}  # fmt: skip


def _log(make: str, told: list[str], fields: dict[str, str]) -> str:
    words, stamp = MAKES[make]
    rows = ["else", "boot", *told, "else"]
    lines = [stamp(START + n, words[row].format(**fields)) for n, row in enumerate(rows) if row in words]
    return "".join(reversed(lines) if make == "newest first" else lines)


@pytest.mark.parametrize("make", MAKES)
@pytest.mark.parametrize("name", TOLD)
def test_what_is_wrong_is_found_in_words_that_nobody_knows(case: Case, make: str, name: str) -> None:
    north, south, wanted = TOLD[name]
    if not set(north) | set(south) <= set(MAKES[make][0]):
        pytest.skip("this make says nothing of it")
    logs: dict[str, str | bytes] = {
        "north/gate.log": _log(make, north, NORTH),
        "south/gate.log": _log(make, south, SOUTH) or "x\n",
    }
    (diagnosis,) = case(logs).tunnels
    first = diagnosis.first_fault
    assert ({first.code} if first is not None else set()) == wanted


def test_what_is_concluded_is_not_proven_and_names_the_unknown_words(case: Case) -> None:
    north, south, _ = TOLD["other networks"]
    logs: dict[str, str | bytes] = {
        "north/gate.log": _log("sentences", north, NORTH),
        "south/gate.log": _log("sentences", south, SOUTH),
    }
    first = case(logs).tunnels[0].first_fault
    assert first is not None and first.certainty is Certainty.LIKELY
    assert first.facts["inferred_from"] == "south/gate.log:7" and "concluded from its values" in first.detail
    assert unknown_words(logs["south/gate.log"].splitlines()[6]) == ("case", "passage")
    assert unknown_words("2026-06-01 gw-1 ike: our frobnicated proposal to peer.example was unexpectedly grumbled at") == (
        "frobnicated", "unexpectedly", "grumbled",
    )  # fmt: skip


def test_a_name_ties_lines_to_the_one_address_that_stands_beside_it() -> None:
    lines = [
        "a-one ike call 192.0.2.1",
        "a-one suite",
        "b-two ike call 192.0.2.2",
        "b-two port 500",
        "gate a-one",
        "gate b-two",
        "x-9 192.0.2.1 192.0.2.2",
    ]
    found = subjects_of(list(enumerate(lines)), frozenset())
    assert [found.of(line) for line in lines] == [
        "192.0.2.1",
        "192.0.2.1",
        "192.0.2.2",
        "192.0.2.2",
        "192.0.2.1",
        "192.0.2.2",
        None,
    ]
    assert found.of("a-one and b-two") is None
    assert not found.speaks_of("lease for 10.20.4.9") and found.speaks_of("something of 192.0.2.2")
    assert (
        subjects_of([(1, "login failed from 192.0.2.7, user x-1"), (2, "x-1 again")], frozenset()).peers == frozenset()
    )


@pytest.mark.parametrize(
    ("line", "what"),
    [
        ("local 192.0.2.9 remote 192.0.2.1 hails, edition 2", What.INITIATING),
        ("we are hailed by 192.0.2.1, edition 2", What.ASKED),
        ("aes256 with sha256 it is", What.AGREED),
        ("in use: 5d1e90ab77c2f014 a10b22c3d4e5f607 with 192.0.2.1", What.IKE_UP),
        ("192.0.2.1: 10.1.0.0/16 / 10.2.0.0/16 by way of c41f0a22 and 9be07731.", What.CHILD_UP),
        ("192.0.2.1 is south.lantern.example, genuine", What.AUTH_OK),
        ("192.0.2.1 shows gw.brook.example where south.lantern.example is due", What.IDENTITY_REFUSED),
        ("edition 2 of 192.0.2.1, edition 1 wanted", What.VERSION_REFUSED),
        ("aggressive talk of 192.0.2.1, main talk wanted", What.MODE_REFUSED),
        ("192.0.2.1 is nobody we have a contract with: no contract", What.NO_PEER),
        ("192.0.2.1 keeps mute", What.NO_ANSWER),
        ("the weather at 192.0.2.1 is fine", None),
        ("ike [1] hails 192.0.2.1 with IKEv2", What.INITIATING),
        ("192.0.2.1 asks for a contract, edition 2: none with it", What.NO_PEER),
        ("to 192.0.2.1: not delivered, no way there", What.SEND_FAILED),
        ("[2] stage 2 with 192.0.2.1 stays down: stage 1 is not up", None),
        ("192.0.2.1 went from idle -> init_rcvd", What.ASKED),
        ("192.0.2.1 went from idle -> init_sent", What.INITIATING),
        ("I knock at 192.0.2.1, edition 2", What.INITIATING),
        ("we were called by 192.0.2.1, edition 2", What.ASKED),
        ("192.0.2.1: theirs aes128 sha1 g14, ours aes256 sha1 g14", What.PROPOSAL_REFUSED),
        ("192.0.2.1: aes128 or aes256, sha1 or sha256", None),
        ("192.0.2.1 came with edition 2, we speak edition 1", What.VERSION_REFUSED),
        ("192.0.2.1: no contract covers 192.0.2.1", What.NO_PEER),
    ],
)  # fmt: skip
def test_a_line_tells_by_its_values(line: str, what: What | None) -> None:
    subjects = Subjects(frozenset(["192.0.2.1"]), {}, frozenset(["192.0.2.9"]))
    known = line if "192.0.2.1" in line else f"192.0.2.1 {line}"
    event = by_context(None, known, known, Provenance("x"), None, subjects, {})
    assert (event.what if event is not None else None) is what


@pytest.mark.parametrize(
    ("stage", "line", "what"),
    [
        (What.AGREED, "192.0.2.1: that is garbage", What.UNDECRYPTABLE),
        (What.INITIATING, "192.0.2.1: that is garbage", None),
        (What.CHILD_UP, "192.0.2.1 keeps mute", What.PEER_LOST),
        (What.CHILD_UP, "192.0.2.1: the far party dissolved it", What.DELETED_BY_PEER),
        (What.CHILD_UP, "192.0.2.1: dissolved by the operator", What.IKE_DOWN),
        (What.IKE_UP, "192.0.2.1: refused, no dh group in its suite", What.PFS_REFUSED),
        (What.IKE_UP, "192.0.2.1: the data plane did not take it", What.INSTALL_FAILED),
        (What.IKE_UP, "192.0.2.1: 10.1.0.0/16 10.2.0.0/16 cut to 10.1.8.0/24 10.2.0.0/16", What.NARROWED),
        (What.IKE_UP, "192.0.2.1: declined (38)", What.SELECTORS_REFUSED),
        (What.AGREED, "192.0.2.1|verdict:sent home|slip:24", What.AUTH_REFUSED),
        (What.AUTH_OK, "192.0.2.1: ends, result ok", What.IKE_UP),
        (What.CHILD_UP, "<- 192.0.2.1: dissolved", What.DELETED_BY_PEER),
        (What.CHILD_UP, "192.0.2.1: far end found nothing that fits", None),
        (What.IKE_DOWN, "192.0.2.1: stage one is over", What.IKE_DOWN),
        (What.CHILD_UP, "192.0.2.1: association closed by peer", What.DELETED_BY_PEER),
        (What.IKE_UP, "192.0.2.1: 10.1.0.0/16 10.2.0.0/16, we take 10.1.8.0/24 10.2.0.0/16", What.NARROWED),
        (What.IKE_UP, "192.0.2.1: 10.1.0.0/16 10.2.0.0/16 carries 10.1.8.1/32 10.2.0.1/32", None),
        (What.AGREED, "192.0.2.1: kern_add() -> -12", What.INSTALL_FAILED),
        (What.AGREED, "192.0.2.1: cred_check(id=south.lantern.example) -> 0", What.AUTH_OK),
        (What.AGREED, "192.0.2.1: hello, copy 2", What.RESENT),
        (What.AGREED, "192.0.2.1: port 4500 it is", What.NAT_FLOAT),
        (What.AGREED, "192.0.2.1 [3/4] x south.lantern.example: PSK", What.KEY_REFUSED),
        (What.AGREED, "192.0.2.1 [3/4] + south.lantern.example", What.AUTH_OK),
        (
            What.AGREED,
            "192.0.2.1: remote unknown, name gw.brook.example, awaited south.lantern.example",
            What.IDENTITY_REFUSED,
        ),
        (What.INITIATING, "192.0.2.1: they turned down our IKE version", What.VERSION_REFUSED),
        (What.CHILD_UP, "192.0.2.1: exchange dissolved", What.IKE_DOWN),
        (None, "192.0.2.1: a link is being set up by it with IKEv2", What.ASKED),
        (What.AGREED, "192.0.2.1: south.lantern.example, well known", What.AUTH_OK),
        (What.IKE_UP, "192.0.2.1: attach rc=12 kernel", What.INSTALL_FAILED),
        (What.CHILD_UP, "< 192.0.2.1: > dissolved", What.IKE_DOWN),
        (What.ASKED, "192.0.2.1: 0e sent, bad", What.IKE_PROPOSAL_REFUSED),
        (None, "remote=192.0.2.1 text=opening, ike=2", What.INITIATING),
        (None, "192.0.2.1; exchange; opened by us; IKEv2", What.INITIATING),
        (None, "192.0.2.1; exchange; opened by them; IKEv2", What.ASKED),
        (None, "192.0.2.1; session requested; ike 2", What.ASKED),
        (None, "192.0.2.1; version; mismatch; 2; 1", What.VERSION_REFUSED),
        (None, "192.0.2.1 is sent for, version 2", What.ASKED),
        (None, "192.0.2.1 #12: NONE => ASKED (v1, their wish)", What.ASKED),
        (What.ASKED, "nobody covers 192.0.2.1, version 2", What.NO_PEER),
        (What.INITIATING, "192.0.2.1: outgoing attempt: nobody there", What.NO_ANSWER),
        (What.AGREED, "192.0.2.1: attempt: gibberish", What.UNDECRYPTABLE),
        (What.AUTH_OK, "192.0.2.1: attempt: finished well", What.IKE_UP),
        (What.CHILD_UP, "192.0.2.1: counterpart ended it", What.DELETED_BY_PEER),
        (What.ASKED, "192.0.2.1: they called, version 2; rejected by us, not configured", What.NO_PEER),
        (What.ASKED, "192.0.2.1: mix settled with 192.0.2.1: AES-CBC-256, HMAC-SHA2-256, group 14", What.AGREED),
        (What.INITIATING, "192.0.2.1 rx N=0x05; I1 -> DEAD", What.VERSION_REFUSED),
        (What.AGREED, "192.0.2.1 rx N=0x18; I2 -> DEAD", What.AUTH_REFUSED),
        (What.ASKED, "CTRL\tVERSION\t192.0.2.1\t2 vs 1\tNO", What.VERSION_REFUSED),
        (What.INITIATING, "CTRL\tVERSION\t192.0.2.1\tfrom peer\tNO", What.VERSION_REFUSED),
        (What.CHILD_UP, "192.0.2.1 took control SA and data SA down", What.DELETED_BY_PEER),
        (What.CHILD_UP, "control SA with 192.0.2.1 is down", What.IKE_DOWN),
        (
            What.IKE_UP,
            "192.0.2.1: data path aborted by remote endpoint (parameters rejected)",
            None,
        ),
        (What.IKE_UP, "ESP,SA-NOMATCH,192.0.2.1,rx dh=0 cfg dh=14", What.PFS_REFUSED),
        (What.ASKED, "IKE,VERSION-NOMATCH,192.0.2.1,rx 2 cfg 1", What.VERSION_REFUSED),
        (What.ASKED, "192.0.2.1 hails, IKEv2, no berth for it", What.NO_PEER),
        (What.AGREED, "192.0.2.1: papers not in order, seal of another key", What.KEY_REFUSED),
        (What.AGREED, "192.0.2.1 auth_vrfy(north.lantern.example): E_PSK; R2 -> DEAD", What.KEY_REFUSED),
        (What.INITIATING, "192.0.2.1 sendto: E_NOROUTE", What.SEND_FAILED),
        (What.CHILD_UP, "192.0.2.1 rx DELETE; MATURE -> DEAD", What.DELETED_BY_PEER),
        (What.CHILD_UP, "192.0.2.1 cli clear by admin; MATURE -> DEAD", What.IKE_DOWN),
        (What.CHILD_UP, "Ended has 192.0.2.1 everything.", What.DELETED_BY_PEER),
        (What.AGREED, "call to 192.0.2.1 written off, nobody picked up", What.NO_ANSWER),
        (What.ASKED, "192.0.2.1 calls (IKE v2) and holds no account here, call bounced", What.NO_PEER),
        (
            What.AGREED,
            "192.0.2.1: signature of gw.brook.example dishonoured: the entry is for north.lantern.example",
            What.IDENTITY_REFUSED,
        ),
        (
            What.IKE_UP,
            "192.0.2.1: refused, heard aes 256 sha 256 no group, held aes 128 sha 1 no group",
            What.CHILD_PROPOSAL_REFUSED,
        ),
    ],
)
def test_the_same_line_tells_another_thing_at_another_stage(stage: What | None, line: str, what: What | None) -> None:
    subjects = Subjects(frozenset(["192.0.2.1"]), {}, frozenset())
    event = by_context(None, line, line, Provenance("x"), None, subjects, {"192.0.2.1": Progress(stage)})
    assert (event.what if event is not None else None) is what


@pytest.mark.parametrize(("way", "what"), [("in", What.DELETED_BY_PEER), ("out", What.IKE_DOWN)])
def test_a_column_tells_who_ended_it(way: str, what: What) -> None:
    row = f'"192.0.2.1","to-south","{way}","ike","","closed","",""'
    subjects = Subjects(frozenset(["192.0.2.1"]), {}, frozenset())
    known = understand(row, Provenance("x"))
    event = by_context(known, row, row, Provenance("x"), None, subjects, {"192.0.2.1": Progress(What.CHILD_UP)})
    assert event is not None and event.what is what


@pytest.mark.parametrize(
    ("told", "line", "what"),
    [
        (["call 192.0.2.1, edition 2"], "192.0.2.1 ended by peer, rc=24", What.AUTH_REFUSED),
        (["192.0.2.1 calls, edition 2", "192.0.2.1 aes256 sha256 g14"], "192.0.2.1: ike sa deleted", What.AUTH_REFUSED),
        (["192.0.2.1 calls, edition 1", "192.0.2.1 aes256 sha256 g14"], "192.0.2.1: bad letter", What.UNDECRYPTABLE),
        (["192.0.2.1 calls, edition 2", "192.0.2.1 aes256 sha256 g14"], "192.0.2.1: bad, aes128 sha256", What.CHILD_PROPOSAL_REFUSED),
        (["192.0.2.1 calls, edition 2", "192.0.2.1 aes256 sha256"], "192.0.2.1: bad, aes128 sha256", What.PROPOSAL_REFUSED),
        (["192.0.2.1 calls, edition 2", "192.0.2.1 aes256 sha256"], "192.0.2.1: unlike word, no key of ours", What.KEY_REFUSED),
        (["call 192.0.2.1, edition 2"], "192.0.2.1: bad", What.IKE_PROPOSAL_REFUSED),
        (["call 192.0.2.1, edition 2", "", "", "", "", ""], "192.0.2.1: bad", What.NO_ANSWER),
    ],
)  # fmt: skip
def test_a_line_tells_by_those_before_it(told: list[str], line: str, what: What) -> None:
    subjects = Subjects(frozenset(["192.0.2.1"]), {}, frozenset())
    numbered = ((n, f"2026-06-01T09:00:{n:02d}Z gate {text}") for n, text in enumerate([*told, line]) if text)
    events = list(read_log(numbered, "x", "north", year=2026, subjects=subjects))
    assert events[-1].what is what and events[-1].where.line == len(told)


def test_a_log_of_the_time_of_day_is_dated_by_its_headlines_and_as_its_clock_begins_anew() -> None:
    def dated(lines: list[str]) -> list[tuple[str, tuple[str, ...]]]:
        numbered = list(enumerate(lines))
        events = read_log(numbered, "x", "north", year=2026)
        found = [(e.at or 0, e.assumed) for e in on_their_days(events, numbered)]
        return [(datetime.fromtimestamp(at, UTC).isoformat()[:-6], assumed) for at, assumed in found]

    up, later = "23:59:58 ike sa established with 192.0.2.1", "00:00:03 ike sa established with 192.0.2.1"
    assert dated(["log of 1 June 2026", up, later]) == [
        ("2026-06-01T23:59:58", ("zone",)),
        ("2026-06-02T00:00:03", ("zone",)),
    ]
    assert dated([up, later]) == [("2026-01-01T23:59:58", ("day", "zone")), ("2026-01-02T00:00:03", ("day", "zone"))]
    assert dated([later]) == [("2026-01-01T00:00:03", ("day", "zone"))]
    said = "  the certificate of the other gate is valid until 2027-01-01"
    assert dated([up, said]) == [("2026-01-01T23:59:58", ("day", "zone"))]
    assert day_in("no day: 10.20.30.40, 1/2") is None and day_in("-- 2026/02/30 --") is None


def test_a_time_that_is_counted_from_the_start_is_tied_to_the_wall() -> None:
    lines = [(1, "T+0000010.500 up"), (2, "T+0000012.000 clock set, now 2026-06-01 09:00:00Z")]
    assert wall_clock(lines, 2026) == START - 12
    assert wall_clock(lines[:1], 2026) is None


CALL = "call 192.0.2.1, edition 2"


SUITE = "192.0.2.1: aes256-cbc, hmac-sha2-256, group 14"
PROVED = "192.0.2.1 is south.lantern.example, well known"


@pytest.mark.parametrize(
    ("lines", "told"),
    [
        ([CALL, "192.0.2.1 slip 24", CALL, "192.0.2.1 slip 24"], [What.AUTH_REFUSED] * 2),
        ([CALL, "192.0.2.1 slip 7", CALL, "192.0.2.1 slip 7"], [What.IKE_PROPOSAL_REFUSED] * 2),
        ([CALL, "192.0.2.1 slip 7", CALL, "192.0.2.1 note 8"], []),
        ([CALL, "192.0.2.1 slip 24"], []),
        ([CALL, SUITE, PROVED, "192.0.2.1 jammed, kernel"], [What.INSTALL_FAILED]),
        ([CALL, SUITE, PROVED, "192.0.2.1 kernel ready"], []),
        ([CALL, SUITE, PROVED, "192.0.2.1: in c41f0a22 out 9be07731", "192.0.2.1 copy a=14"], []),
        ([CALL, SUITE, PROVED, "192.0.2.1 jammed, kernel", "192.0.2.1: in c41f0a22 out 9be07731"], []),
        ([CALL, "192.0.2.1 slip 24", CALL, "192.0.2.1 is on air", "192.0.2.1: in c41f0a22 out 9be07731"], []),
    ],
)  # fmt: skip
def test_the_last_word_of_attempts_that_came_to_nothing(lines: list[str], told: list[What]) -> None:
    """A notify's number is one where attempt follows attempt; alone, or where something stood after all, it is none."""
    subjects = Subjects(frozenset(["192.0.2.1"]), {}, frozenset())
    # An answer comes at once, the next attempt half a minute later.
    numbered = ((n, f"2026-06-01T09:{n // 2:02d}:{n % 2:02d}Z gate {line}") for n, line in enumerate(lines, 2))
    events = list(read_log(numbered, "x", "north", year=2026, subjects=subjects))
    assert [e.what for e in events if e.guessed] == told
    assert all(e.at is not None for e in events)


def test_a_number_in_two_guises_and_a_field_of_names_tie_lines() -> None:
    def ties(lines: list[str]) -> list[str | None]:
        found = subjects_of(list(enumerate(lines)), frozenset())
        return [found.of(line) for line in lines]

    suite = "aes256/sha256/14"
    assert ties(["ike peer#12 192.0.2.1", f"p12 {suite}", "q12 ready"]) == ["192.0.2.1", "192.0.2.1", None]
    events = ["ev=ph1.try peer=192.0.2.1 tun=to-south ikev=2", f"ev=ph1.alg tun=to-south {suite}", "ev=ka tun=to-south"]
    assert ties(events) == ["192.0.2.1"] * 3
    registry = [
        "link 12 is to-south at 192.0.2.1",
        f"[12] wrapping agreed {suite}",
        "[7] parcel out, major 2",
        "fan 12",
    ]
    assert ties(registry) == ["192.0.2.1", "192.0.2.1", None, None]
    assert ties(["t=0x000c open 192.0.2.1 ikev2", f"t=0x000c {suite}", "t=0x0001 fan"]) == [
        "192.0.2.1",
        "192.0.2.1",
        None,
    ]


def test_lines_with_another_name_in_the_same_field_are_of_another_peer() -> None:
    lines = [
        'gate@7 entry="cn=VPN7" ike call 192.0.2.1', 'gate@7 entry="cn=VPN7" ike answer of 192.0.2.1',
        'gate@7 entry="cn=far-1" data renewed', 'gate@7 clock',
    ]  # fmt: skip
    found = subjects_of(list(enumerate(lines)), frozenset())
    assert [found.of(line) for line in lines] == ["192.0.2.1", "192.0.2.1", None, "192.0.2.1"]


def test_a_line_that_sets_values_apart_is_told_beside_lines_that_are_understood(case: Case) -> None:
    up = "ike: child sa established with 192.0.2.44: 10.30.8.0/24 === 10.20.4.0/22, spi 9be07731 c41f0a22"
    lines = ["ike: contacted by 192.0.2.44", "ike: peer 192.0.2.44 authenticated", up]
    log = "".join(f"2026-06-01T09:00:{n:02d}Z gate {line}\n" for n, line in enumerate(lines))
    for last, code in (("esp suite none: peer no group, own group 14", "pfs-mismatch"), ("suite: group 14", None)):
        said = f"2026-06-01T09:20:00Z gate 192.0.2.44 {last}\n"
        (tunnel,) = case({"south/gate.log": log + said, "north/other.txt": "x\n"}).tunnels
        assert (tunnel.first_fault.code if tunnel.first_fault is not None else None) == code
