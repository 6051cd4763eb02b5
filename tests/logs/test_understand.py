"""Log lines: times, addresses, algorithms, and what a line says in wording that no program of ours uses."""

from __future__ import annotations

import sys
import unicodedata
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stomion.logs.clock import Clock
from stomion.logs.reader import LogState, read_log, understand_line
from stomion.logs.timestamps import find_stamp
from stomion.logs.understand import understand
from stomion.model.event import What
from stomion.model.provenance import Provenance
from stomion.vocabulary.addresses import read_addresses
from stomion.vocabulary.algorithms import find_proposal
from stomion.vocabulary.clean import clean, decode_line

HERE = Provenance("x.log", "quayhead", line=1)
MOMENT = datetime(2026, 5, 4, 9, 14, 7, tzinfo=UTC).timestamp()

STAMPS = [
    ("2026-05-04T09:14:07Z gw ike up", ()),
    ("2026-05-04T11:14:07+02:00 gw", ()),
    ("2026-05-04 09:14:07,000 ike", ("zone",)),
    ("May  4 09:14:07 marram sealkeeper[412]: up", ("year", "zone")),
    ("<30>May  4 09:14:07 marram sealkeeper: up", ("year", "zone")),
    ("<30>1 2026-05-04T09:14:07.000Z marram ike - - - up", ()),
    ("Monday 4 May 2026, 09:14:07 UTC: up", ()),
    ("04/May/2026:09:14:07 +0000 up", ()),
    ("4 May 2026 09:14:07 up", ("zone",)),
    ("May 4, 2026 9:14:07 AM up", ("zone",)),
    ("04.05.2026 09:14:07 up", ("zone",)),
    ("2026/05/04 09:14:07 up", ("zone",)),
    ("Mon May  4 09:14:07 2026 up", ("zone",)),
    ("Mon May 04 09:14:07 UTC 2026 up", ()),
    ("date=2026-05-04 time=09:14:07 up", ("zone",)),
    ("20260504T091407Z up", ()),
    ("2026-05-04 11:14:07 CEST gw", ()),
    ("2026-05-04 09:14:07 GMT gw", ()),
    ("*May  4 05:14:07.000 EDT: ike", ("year",)),
    ("Mon May  4 18:14:07 JST 2026 up", ()),
    ("2026-05-04 11:14:07 Europe/Oslo up", ()),
    ("May 4 05:14:07 America/New_York 2026 up", ()),
    ("2026-05-04 09:14:07 IST up", ("zone",)),
    ("2026-05-04 09:14:07 Nowhere/Atall up", ("zone",)),
    ("2026-05-04 09:14:07 est up", ("zone",)),
    (f't="{int(MOMENT)}" unit="gw"', ()),
    (f"[{int(MOMENT)}.000000] up", ()),
    (f'{{"ts": {int(MOMENT)}000, "msg": "up"}}', ()),
]


@pytest.mark.parametrize(("line", "assumed"), STAMPS, ids=[s[0][:24] for s in STAMPS])
def test_the_time_of_a_line_and_what_was_assumed_of_it(line: str, assumed: tuple[str, ...]) -> None:
    stamp = find_stamp(line, year=2026)
    assert stamp is not None
    assert (stamp.at, stamp.assumed) == (MOMENT, assumed)


def test_days_and_months_months_in_letters_and_halves_of_a_day() -> None:
    def at(line: str) -> datetime:
        stamp = find_stamp(line, year=2026, day=(2026, 5, 4))
        assert stamp is not None
        return datetime.fromtimestamp(stamp.at, UTC)

    assert at("05.12.2026 10:00:00 up") == datetime(2026, 12, 5, 10, tzinfo=UTC)
    assert at("2026-12-05 10:00:00") == datetime(2026, 12, 5, 10, tzinfo=UTC)
    assert at("12/31/2026 10:00:00") == datetime(2026, 12, 31, 10, tzinfo=UTC)
    assert at("December 5th, 2026 12:30:01 AM") == datetime(2026, 12, 5, 0, 30, 1, tzinfo=UTC)
    assert at("Dec 5, 2026 12:30:01 PM") == datetime(2026, 12, 5, 12, 30, 1, tzinfo=UTC)
    assert at("Dec 5 23:59:60 up") == datetime(2026, 12, 5, 23, 59, 59, tzinfo=UTC)
    assert at("10:00:00.25 up") == datetime(2026, 5, 4, 10, 0, 0, 250_000, tzinfo=UTC)
    assert at("1777886047123456 up") == datetime(2026, 5, 4, 9, 14, 7, 123_456, tzinfo=UTC)
    assert at("2026-05-04T09:14:07-09:30 up") == datetime(2026, 5, 4, 18, 44, 7, tzinfo=UTC)


def test_a_time_since_the_start_is_kept_as_it_is() -> None:
    for line, at in (("[ 12.500000] ike", 12.5), ("uptime=77 ike", 77.0), ("up: 0.25 ike", 0.25)):
        stamp = find_stamp(line, year=2026)
        assert stamp is not None and (stamp.at, stamp.assumed) == (at, ("epoch",))
        assert find_stamp(line, year=2026, first=stamp.shape) == stamp


@pytest.mark.parametrize(("line", "assumed"), [
    ("10:00:00 up", ("day", "zone")), ("[ 12.500000] ike", ("epoch",)), ("uptime=77 ike", ("epoch",)),
    ("2026-05-04T09:14:07+99:00", ("zone",)),
])  # fmt: skip
def test_what_a_time_lacks_is_said(line: str, assumed: tuple[str, ...]) -> None:
    stamp = find_stamp(line, year=2026)
    assert stamp is not None and stamp.assumed == assumed


@pytest.mark.parametrize("line", ["no time here", "peer 192.0.2.10 port 500", "2026-13-45T99:99:99Z", "spi c1a2b3d4"])
def test_a_line_without_a_time_has_none(line: str) -> None:
    assert find_stamp(line, year=2026) is None


SUITES = {
    "AES_CBC_256/HMAC_SHA2_256_128/PRF_HMAC_SHA2_256/MODP_2048": ("AES-CBC-256", "HMAC-SHA2-256-128", "14"),
    "aes256-sha256-dh14": ("AES-CBC-256", "HMAC-SHA2-256-128", "14"),
    "aes-128-cbc, sha1, group 2": ("AES-CBC-128", "HMAC-SHA1-96", "2"),
    "AES with 256-bit keys, SHA-256 and the 2048-bit MODP group": ("AES-CBC-256", "HMAC-SHA2-256-128", "14"),
    "ENCR=AES_CBC_128;INTEG=HMAC_SHA2_512_256;DH=ECP_384": ("AES-CBC-128", "HMAC-SHA2-512-256", "20"),
    "3des/md5/modp1024": ("3DES", "HMAC-MD5-96", "2"),
    "aes256gcm16 prf sha384 ecp256": ("AES-GCM-16-256", "", "19"),
    "AES_GCM_16_128/NO_EXT_SEQ": ("AES-GCM-16-128", "", ""),
    "chacha20-poly1305, curve25519": ("CHACHA20-POLY1305", "", "31"),
    "secp521r1 and aes192": ("AES-CBC-192", "", "21"),
    "AES-CBC-256/HMAC-SHA2-256/14": ("AES-CBC-256", "HMAC-SHA2-256-128", "14"),
    "enc=AES-128 auth=SHA1 grp=5": ("AES-CBC-128", "HMAC-SHA1-96", "5"),
    "enc=7/128 hash=2 group=5": ("AES-CBC-128", "HMAC-SHA1-96", "5"),
    "encr=20, keylen 256, ke=19": ("AES-GCM-16-256", "", "19"),
    "encr=99 sha1": ("", "HMAC-SHA1-96", ""),
    "aes128 | sha256 | 1500": ("AES-CBC-128", "HMAC-SHA2-256-128", ""),
}


@pytest.mark.parametrize(("text", "expected"), SUITES.items())
def test_algorithms_in_any_spelling(text: str, expected: tuple[str, str, str]) -> None:
    found = find_proposal(text)
    assert found is not None
    assert tuple(" ".join(found.values(k)) for k in ("encryption", "integrity", "group")) == expected


def test_a_list_of_groups_is_read_whole() -> None:
    assert find_proposal("group 20, 19 or 14").group == ("20", "19", "14")
    assert find_proposal("nothing of the kind") is None


def test_ranges_are_told_from_endpoints() -> None:
    found = read_addresses("gateway 192.0.2.10 port 500 joins 10.96.0.0 to 10.96.15.255 with 10.66.0.0/21")
    assert found.endpoints == (("192.0.2.10", 500),)
    assert found.ranges == ("10.96.0.0/20", "10.66.0.0/21")
    assert read_addresses("from 192.0.2.10[500] to 192.0.2.99[500]").ranges == ()
    assert read_addresses("to 2001:db8::7[4500] up").endpoints == (("2001:db8::7", 4500),)
    assert read_addresses("mask 10.1.0.0 255.255.0.0").ranges == ("10.1.0.0/16",)
    assert read_addresses("sun over 10.1.4.0:255.255.252.0 and 10.2.0.0:255.255.255.0").ranges == (
        "10.1.4.0/22",
        "10.2.0.0/24",
    )
    assert read_addresses("10.1.4.0 0.0.3.255 to 10.2.0.0 0.0.0.255.").ranges == ("10.1.4.0/22", "10.2.0.0/24")
    assert read_addresses("10.1.4.0 (1024 addresses), 10.2.0.0 x 256").ranges == ("10.1.4.0/22", "10.2.0.0/24")
    assert read_addresses("from 10.1.4.0 through 10.1.7.255 to 10.2.0.0 through 10.2.0.255").ranges == (
        "10.1.4.0/22",
        "10.2.0.0/24",
    )
    assert read_addresses("from 192.0.2.0 to 192.0.2.255").ranges == ()
    assert read_addresses("192.0.2.10 x 3, 192.0.2.10 (256), 999.1.0.0+256").ranges == ()
    assert read_addresses("node:192.0.2.10,name:x").endpoints == (("192.0.2.10", None),)
    assert [a for a, _ in read_addresses("from ::ffff:192.0.2.10").endpoints] != ["192.0.2.10"]


# (a line in some make's words, what it says, whether the peer did it)
WORDS = [
    ("negotiation with 198.51.100.34: remote side rejected our IKE proposals", What.IKE_PROPOSAL_REFUSED, True),
    (
        "ike: peer 198.51.100.34 offered nothing we accept in phase 1, proposals refused",
        What.IKE_PROPOSAL_REFUSED,
        False,
    ),
    ("P1 error: no matching transform with 198.51.100.34", What.IKE_PROPOSAL_REFUSED, False),
    ("received notify NO_PROPOSAL_CHOSEN in IKE_SA_INIT response from 198.51.100.34", What.IKE_PROPOSAL_REFUSED, True),
    ("sending NoProposalChosen for the child SA to 198.51.100.34", What.CHILD_PROPOSAL_REFUSED, False),
    ("Phase 2 with 198.51.100.34: none of the ESP transforms matches", What.CHILD_PROPOSAL_REFUSED, False),
    ("peer 198.51.100.34 failed authentication: pre-shared key mismatch", What.KEY_REFUSED, False),
    ("IKE: secret of 198.51.100.34 is wrong", What.KEY_REFUSED, False),
    ("got AUTHENTICATION_FAILED from 198.51.100.34", What.AUTH_REFUSED, True),
    ("ike auth: identity marram.example of peer not accepted", What.IDENTITY_REFUSED, False),
    ("certificate of peer 198.51.100.34 has expired, ike auth denied", What.CERTIFICATE_REFUSED, False),
    ("traffic selectors 10.96.0.0/20 <-> 10.66.0.0/21 not acceptable for child", What.SELECTORS_REFUSED, False),
    ("peer answered TS-UNACCEPTABLE, received from 198.51.100.34", What.SELECTORS_REFUSED, True),
    ("proxy-id mismatch in quick mode with 198.51.100.34", What.SELECTORS_REFUSED, False),
    ("no tunnel configured for peer 198.51.100.34, ike request dropped", What.NO_PEER, False),
    ("IKE request from unknown peer 198.51.100.34 ignored", What.NO_PEER, False),
    ("ike: wrong IKE version 1 from 198.51.100.34, only version 2 permitted", What.VERSION_REFUSED, False),
    ("aggressive mode not allowed for peer 198.51.100.34", What.MODE_REFUSED, False),
    ("ike send to 198.51.100.34 failed: network is unreachable", What.SEND_FAILED, False),
    ("giving up after 5 retransmits, peer 198.51.100.34 not responding", What.GAVE_UP, False),
    ("ike peer 198.51.100.34: no response, retransmitting request 0", What.RESENT, False),
    ("DPD: peer 198.51.100.34 declared dead", What.PEER_LOST, False),
    ("ISAKMP message from 198.51.100.34 could not be decrypted, malformed payload", What.UNDECRYPTABLE, False),
    ("kernel refused to install IPsec SA for 198.51.100.34", What.INSTALL_FAILED, False),
    ("IKE SA with 198.51.100.34 established", What.IKE_UP, False),
    ("phase 1 up with 198.51.100.34", What.IKE_UP, False),
    (
        "CHILD_SA lan{1} established with SPIs c1a2b3d4_i 00aa11bb_o and TS 10.96.0.0/20 === 10.66.0.0/21",
        What.CHILD_UP,
        False,
    ),
    ("quick mode completed with 198.51.100.34", What.CHILD_UP, False),
    ("IKE_SA_INIT request 0 sent again to 198.51.100.34, no answer", What.RESENT, False),
    ("IKE_SA_INIT request 0 sent to 198.51.100.34", What.SENT, False),
    ("IKE_AUTH request 1 received from 198.51.100.34, sent AUTHENTICATION_FAILED", What.AUTH_REFUSED, False),
    ("IKE_AUTH request 1 from 198.51.100.34: received AUTHENTICATION_FAILED", What.AUTH_REFUSED, True),
    ("pfs: group of child differs from peer 198.51.100.34, refused", What.PFS_REFUSED, False),
]


@pytest.mark.parametrize(("line", "what", "far"), WORDS, ids=[w[0][:44] for w in WORDS])
def test_what_a_line_says_and_who_did_it(line: str, what: What, far: bool) -> None:
    event = understand(line, HERE)
    assert event is not None
    assert (event.what, event.far) == (what, far)


QUIET = [
    "admin logged in from 203.0.113.9",
    "packet denied src 203.0.113.9:4444 dst 192.0.2.10:22 rule last",
    "dhcp lease 10.96.0.77 renewed",
    "login attempt 2 of 5 for helm from 203.0.113.9",
    "dhcp tries exhausted for 10.96.0.77",
    "sshd: 3 attempts used up by 203.0.113.9",
    "nat rule 7: forwards 500 to 4500",
    "RFC 3566 Test Case 1: AES-XCBC-MAC-96 with 0-byte input",
    "establishing CHILD_SA lan{1}",
    "CHILD_SA lan{1} state change: REKEYING => INSTALLED",
    "Encrypting 16 bytes using AES-CBC with 128-bit key",
    "peer 203.0.113.9 verified, aes-256-gcm in use",
    "child SA with 203.0.113.9 rekeyed, group 20",
    "connection to 203.0.113.9 configured, pre-shared key needed",
    "policy for 10.1.0.0/16 - 10.2.0.0/16 loaded",
    "algorithms aes256 sha256 modp2048 selected for 203.0.113.9",
    "NAT detected, 203.0.113.9 now at port 4500",
    "no NAT between 192.0.2.1 and 203.0.113.9",
    "liveness check of 203.0.113.9 answered",
    "keepalive sent to 203.0.113.9:4500",
    "DPD with 203.0.113.9 ok",
    "received hash of 203.0.113.9 verified",
    "certificate not needed for 203.0.113.9",
    "identity of 203.0.113.9 proved",
    "traffic selectors of 203.0.113.9 accepted",
    "second attempt to reach 203.0.113.9 succeeded",
    "peer 203.0.113.9 demands group 20, agreed",
    "statistics: 0 failed, 0 incorrect, 12 successful negotiations with 203.0.113.9",
    "subnet 10.1.0.0/16 reachable through tunnel quay",
    "withdrawn route 10.9.0.0/16 from tunnel table",
    "old child SA of 203.0.113.9 removed after rekey",
    "vendor ID of 203.0.113.9 unknown, ignored",
    "unknown notify 16430 from 203.0.113.9 ignored",
    "fragmentation supported by 203.0.113.9",
    "packet from 203.0.113.9 dropped: spoofed source",
    "user helm identified, offline since 08:00",
    "IKE service offline for maintenance",
    "certificate of web server expired",
    "ike: first round with 198.51.100.9 begins",
    "ike: second round with 198.51.100.9 begins",
    "ike: cipher AES-256 chosen with 198.51.100.9, AES-128 not needed",
    "ike: shared secret of 198.51.100.9 found",
    "ike: networks 10.1.0.0/24 and 10.2.0.0/24 not changed by the reload",
    "ike: no change in networks 10.1.0.0/24 and 10.2.0.0/24",
    "ike: policy lists ciphers: aes256, aes128; no others",
    "fw: deny net 10.1.0.0/24 to net 10.2.0.0/24 rule 12 not logged before",
    "audit: password of user helm changed",
    "audit: user helm turned away, wrong password",
    "audit: session of helm lapsed",
    "bgp: 198.51.100.9 session down, hold timer",
    "bgp: prefixes 10.9.0.0/16 10.8.0.0/16 not in table, ignored",
    "ospf: neighbor 198.51.100.9 dead, no hello",
    "web: certificate of 198.51.100.9 expired, page refused",
    "nat: no translation for 10.1.0.0/24 to 10.2.0.0/24 (exempt)",
    "dhcp: no free address in subnet 10.1.0.0/24, pool 10.1.0.0/25 empty",
    "ike: timeout for peers without answer set to 30 s",
    "ike: 198.51.100.9 not behind a translator",
    "ike: fragmentation refused by 198.51.100.9, not used",
    "ike: mobike not supported by 198.51.100.9",
    "ike: vendor id of 198.51.100.9 not known",
    "ike: cookie challenge sent to 198.51.100.9",
    "ike: 198.51.100.9 balks at compression, going on without",
    "ike: crl for CA not loaded, continuing",
    "ike: no certificate request from 198.51.100.9",
    "ike: identity of 198.51.100.9 not checked (wildcard)",
    "ike: packet 12 of 198.51.100.9 discarded, replay",
    "ike: extension sequence numbers not offered by 198.51.100.9",
    "ike: 198.51.100.9 offers also group 14, not needed",
    "ike: keepalives to 198.51.100.9 not necessary",
    "ike: session ticket for 198.51.100.9 none",
    "vpn: remote user vessel-7 rejected: password wrong",
    "vpn: client 203.0.113.5 no address left in pool",
    "stat: tunnel quay in=1200 out=900 err=0 drop=0",
    "stat: ike peers 4 up 4 fail 0 rej 0",
    "2026-05-04 10:01:02 WRN ike: ciphers 3des and des are weak and not permitted by default",
    "2026-05-04 10:01:02 INF route: no map for 10.9.0.0/16 -> wan2",
    "evt=CHILD_REPLACED reason=key_age ip=198.51.100.9",
    "evt=NEG_START stage=IKE_INIT reason=traffic ip=198.51.100.9",
    "evt=NEG_START stage=IKE_INIT reason=nets ip=198.51.100.9",
    "evt=SA_DELETE reason=rekeyed ip=198.51.100.9",
    "evt=SA_DELETE reason=idle ip=198.51.100.9",
    "evt=NEG_START stage=CHILD reason=key_lifetime ip=198.51.100.9",
    "status: tunnel=quay-salt remote=198.51.100.9 was=up now=up why=key",
    "status: tunnel=quay-salt remote=198.51.100.9 was=up now=up why=rekey",
    "peer=198.51.100.9 phase=1 detail='cipher aes256 hash sha256 group 20'",
    "peer=198.51.100.9 phase=2 detail='nets 10.1.0.0/24 10.2.0.0/24'",
    "peer=198.51.100.9 phase=1 detail='name gw9.example'",
    "peer=198.51.100.9 phase=1 detail='proposal 1 of 3'",
    "10:01:02 QH4 raise 198.51.100.9 because traffic for net 10.2.0.0/24 waits",
    "10:01:02 QH4 198.51.100.9 settles on ciphers aes256 sha256",
    "10:01:02 QH4 198.51.100.9 shows name gw9.example, known",
    "10:01:02 QH4 198.51.100.9 password good",
    "10:01:02 QH4 198.51.100.9 networks good",
    "No 118; 10:01:02; 198.51.100.9; first round; offered 3 methods of encryption, second taken",
    "No 118; 10:01:02; 198.51.100.9; first round; common secret proved",
    "No 118; 10:01:02; 198.51.100.9; second round; address ranges agreed",
    "ike: 198.51.100.9 is not the initiator of this SA",
    "ike: no other proposal was looked at, the first one fits",
    "ike: nothing to delete for 198.51.100.9",
    "ike: sa of 198.51.100.9 not yet 8 hours old",
    "ike: key exchange with 198.51.100.9 in group 20, not in group 14",
    "ike: initial contact, no old SA of 198.51.100.9",
    "ike: traffic selector 10.1.0.0/24 === 10.2.0.0/24, no ports",
    "ike: no narrowing of 10.1.0.0/24 10.2.0.0/24 asked",
    "ike: error counter of 198.51.100.9 cleared",
    "ike: log level of subsystem crypto set to error",
    "ike: hash and url not supported",
    "ike: 198.51.100.9 turned down compression",
    "ike: 198.51.100.9 sent no vendor id",
    "ike: dead peer detection off for 198.51.100.9",
    "ike: timer: 198.51.100.9 not due before 11:00",
    "ike: rejected duplicate of message 2 from 198.51.100.9",
    "ike: wrong order of fragments from 198.51.100.9, waiting for the rest",
    "ike: clock went back 2 s, lifetimes adapted",
    "ike: route 10.2.0.0/24 via 198.51.100.9 not changed",
    "ike: session 4 of 198.51.100.9 closed, replaced by session 5",
    "ike: config reload: tunnel quay-salt unchanged, secret unchanged",
    "ike: config reload: cipher list of quay-salt changed",
    "dns: no route for subnet lookup",
]


@pytest.mark.parametrize("line", QUIET)
def test_other_business_and_plans_are_no_events_of_success_or_failure(line: str) -> None:
    event = understand(line, HERE)
    assert event is None or event.what in (What.INITIATING, What.CONFIGURED, What.REKEY)


@pytest.mark.parametrize("name", ["psk", "ike", "refused", "child-failed", "no-proposal"])
def test_names_that_people_give_are_no_vocabulary(name: str) -> None:
    for line in (f"<{name}|3> IKE_SA {name}[3] established between 192.0.2.10[a]...198.51.100.34[b]",):
        event = understand(line, HERE)
        assert event is not None
        assert event.what is What.IKE_UP


def test_later_lines_are_tied_to_their_peer_by_number_and_name() -> None:
    lines = [
        "<hq|4> initiating IKE_SA hq[4] to 198.51.100.34",
        "<4> received NO_PROPOSAL_CHOSEN notify error in IKE_SA_INIT response",
        "<9> 203.0.113.7 is initiating an IKE_SA",
    ]
    events = list(read_log(enumerate(lines, 1), "x", "quayhead", year=2026))
    assert [e.peer for e in events] == ["198.51.100.34", "198.51.100.34", "203.0.113.7"]


def test_lines_without_an_address_are_tied_by_number_or_identity_before_the_last_peer() -> None:
    lines = [
        "gw ike [2] 198.51.100.20:500 is initiating IKEv2 with us as responder",
        "gw ike [3] 203.0.113.10:500 is initiating IKEv2 with us as responder",
        "gw ike [2] peer farlight.example authenticated by pre-shared key",
        "gw ike [2] IKE SA with farlight.example (198.51.100.20) established",
        "gw ike [3] no IKE proposal in common with 203.0.113.10: received aes256; allowed here aes128",
        "gw ike Child SA with farlight.example up",
        "gw ike no answer yet, message sent again",
    ]
    events = list(read_log(enumerate(lines, 1), "x", "quayhead", year=2026))
    assert [e.peer for e in events] == [
        "198.51.100.20", "203.0.113.10", "198.51.100.20", "198.51.100.20", "203.0.113.10", "198.51.100.20", "198.51.100.20",
    ]  # fmt: skip


def test_nothing_in_a_line_can_steer_a_terminal() -> None:
    assert clean("a\x1b[31mb\x1b[0mc\x1b]0;title\x07d\x00e\u202ef\x9b\x9bg\r") == "abc\ufffdde\ufffdf\ufffdg"
    assert clean("\x1b\r[2Jpart") == "\ufffdpart"
    assert clean("\ufeffone\ttwo\n") == "one\ttwo\n"
    assert (
        clean('<134>1 - gw x 4 LOG [m@1 n="2"] \ufeff192.0.2.1 left')
        == '<134>1 - gw x 4 LOG [m@1 n="2"] 192.0.2.1 left'
    )
    every = "".join(map(chr, range(sys.maxunicode + 1)))
    left = {c for c in clean(every) if unicodedata.category(c) in ("Cc", "Cf", "Cs", "Zl", "Zp")}
    assert left == {"\t", "\n"}
    assert clean(clean(every)) == clean(every)
    assert decode_line(b"caf\xe9 ike\n") == ("café ike", False)
    assert decode_line("größe".encode()) == ("größe", True)


@given(st.text(max_size=300))
def test_any_line_is_read_without_a_crash(line: str) -> None:
    text = clean(line)
    assert "\x1b" not in text
    for event in read_log([(1, f"ike peer proposal {text}")], "x", None, year=2026):
        assert event.where.line == 1


FRAMES = {
    "journal": (
        '{"__REALTIME_TIMESTAMP":"1777886042125000","MESSAGE":"IKE SA with 198.51.100.34 established"}',
        1777886042.125,
    ),
    "journal, bytes": (
        '{"MESSAGE":[73,75,69,32,83,65,32,119,105,116,104,32,49,57,56,46,53,49,46,49,48,48,46,51,52,32,101,115,116,97,98,108,105,115,104,101,100],'
        '"__REALTIME_TIMESTAMP":"1777886042000000"}',
        1777886042.0,
    ),
    "RFC 5424": ("<30>1 2026-05-04T09:14:02.5Z gw iked 412 - - IKE SA with 198.51.100.34 established", 1777886042.5),
    "RFC 5424, elements": (
        '<30>1 2026-05-04T11:14:02+02:00 gw iked 412 ID47 [x@1 a="b \\"c\\]" d="e"][y@2] \ufeffIKE SA with 198.51.100.34 established',
        1777886042.0,
    ),
    "RFC 5424, no time": ("<30>1 - gw iked 412 - - IKE SA with 198.51.100.34 established", None),
    "RFC 5424, damaged elements": (
        "<30>1 2026-05-04T09:14:02Z gw iked 412 - [x IKE SA with 198.51.100.34 established", 1777886042.0,
    ),
    "journal, damaged": ('{"MESSAGE":"IKE SA with 198.51.100.34 established', None),
}  # fmt: skip


@pytest.mark.parametrize(("line", "at"), FRAMES.values(), ids=FRAMES.keys())
def test_a_frame_is_taken_off_and_its_time_kept(line: str, at: float | None) -> None:
    event = understand_line(line, Provenance("x", line=1), LogState(Clock(2026)))
    assert event is not None
    assert (event.what, event.peer, event.at) == (What.IKE_UP, "198.51.100.34", at)
    assert at is None or event.text.endswith("IKE SA with 198.51.100.34 established")
