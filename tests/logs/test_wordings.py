"""Wordings of many makes, real and made up: what each line says and whose deed it was. One row a line."""

from __future__ import annotations

import pytest

from stomion.logs.understand import understand
from stomion.model.event import What
from stomion.model.provenance import Provenance

X = "198.51.100.34"
V = '"vpn-sites" #1:'

ROWS = f"""
INITIATING own | {{"ts":1787336110.231,"mod":"iked","ev":"neg.start","role":"initiator","peer":"{X}","v":2}}
ASKED own | {{"ts":1787336110.231,"mod":"iked","ev":"neg.start","role":"responder","peer":"{X}","v":2}}
IKE_PROPOSAL_REFUSED own | {{"ev":"neg.fail","mod":"iked","peer":"{X}","stage":"sa_init","cause":"no_matching_proposal","local":"aes256"}}
KEY_REFUSED own | {{"mod":"iked","ev":"neg.fail","peer":"{X}","stage":"auth","cause":"psk_mismatch"}}
AUTH_REFUSED far | {{"mod":"iked","ev":"neg.fail","peer":"{X}","stage":"auth","cause":"peer_rejected_auth"}}
IKE_UP own | {{"mod":"iked","ev":"sa.up","layer":"ike","peer":"{X}"}}
CHILD_UP own | {{"mod":"iked","ev":"sa.up","layer":"child","peer":"{X}","local":"10.1.0.0/24","remote":"10.2.0.0/24"}}
AUTH_REFUSED far | IKE-3-P1FAIL gw {X}: notify 24 received in exchange 35
SELECTORS_REFUSED far | IKE-3-P2FAIL gw {X}: notify 38 received
IKE_PROPOSAL_REFUSED own | exchange 34 with {X} msgid 0: sent notify type 14, offered ENCR 12/256 INTEG 12 PRF 5 DH 14, want DH 19
IKE_UP own | [vpnd] phase1 negotiation with {X} succeeded
CHILD_UP own | [vpnd] phase2 negotiation with {X} succeeded: 10.1.0.0/24 <-> 10.2.0.0/24
KEY_REFUSED own | [vpnd] phase1 negotiation with {X} failed: authentication mismatch (wrong PSK?)
NO_ANSWER own | [vpnd] phase1 negotiation with {X} failed: no response from peer
SELECTORS_REFUSED far | [vpnd] phase2 negotiation with {X} failed: peer refused our network list
SELECTORS_REFUSED own | [vpnd] phase2 negotiation with {X} failed: subnet mismatch, peer proposes 10.45.7.0/24, expected 10.45.6.0/24
CHILD_PROPOSAL_REFUSED own | [vpnd] phase2 negotiation with {X} failed: algorithm mismatch
NO_PEER own | [vpnd] request from {X} ignored: address not assigned to any tunnel
NO_PEER own | [vpnd] request from {X} dropped: no tunnel uses this address
VERSION_REFUSED own | [vpnd] request from {X} dropped: IKEv1 is disabled for this tunnel
SEND_FAILED own | [vpnd] no route to {X}
NO_ANSWER own | ike: tunnel=hq state=DOWN reason=PEER_TIMEOUT peer={X}
AUTH_REFUSED far | ike: tunnel=hq state=DOWN reason=AUTH_FAILED_BY_PEER peer={X}
IKE_PROPOSAL_REFUSED far | ike: tunnel=hq state=DOWN reason=PROPOSAL_REJECTED_BY_PEER peer={X}
KEY_REFUSED own | ike: {X} R_AUTH bad signature in shared-key check
IDENTITY_REFUSED own | ike: peer {X} id 'branch-07.example' does not equal 'south.example'
IDENTITY_REFUSED own | ike: peer {X} presented ID branch-07.example, expected south.example
IDENTITY_REFUSED own | ike: wrong peer ID: got branch-07.example wanted south.example from {X}
CERTIFICATE_REFUSED own | ike: {X} cert chain verify error: certificate has expired
PROPOSAL_REFUSED far | Tunnel to {X}: the other side does not accept our ciphers.
PROPOSAL_REFUSED own | Tunnel to {X}: we cannot accept any cipher that the other side listed.
KEY_REFUSED own | Tunnel to {X}: password check failed on our side.
KEY_REFUSED far | Tunnel to {X}: the other side says our password is wrong.
GAVE_UP own | Tunnel to {X}: nothing heard for 30 seconds, stopped trying.
IKE_UP own | Tunnel to {X}: the secure channel is ready.
CHILD_UP own | Tunnel to {X}: data may flow between 10.1.0.0/24 and 10.2.0.0/24.
RESENT own | Tunnel to {X}: message repeated (2nd time).
AUTH_REFUSED far | IKE_AUTH response 1 from {X}: error AUTHENTICATION_FAILED
IKE_PROPOSAL_REFUSED far | <= IKE_SA_INIT resp {X} N(NO_PROPOSAL_CHOSEN)
IKE_PROPOSAL_REFUSED own | => IKE_SA_INIT resp {X} N(NO_PROPOSAL_CHOSEN)
SELECTORS_REFUSED far | recv {X} IKE_AUTH/resp TS_UNACCEPTABLE
SELECTORS_REFUSED own | xmit {X} IKE_AUTH/resp TS_UNACCEPTABLE
DELETED_BY_PEER own | rx INFORMATIONAL from {X} DELETE IKE SA
INITIATING own | {V} initiating IKEv2 connection to {X}
SENT own | {V} sent IKE_SA_INIT request to {X}:500
IKE_UP own | {V} initiator established IKE SA; authenticated peer using authby=secret and FQDN '@south.example'
CHILD_UP own | {V} initiator established Child SA using #1; IPsec tunnel [10.1.0.0/24===10.2.0.0/24] {{ESPinUDP=>0x1234abcd <0x5678abcd}}
KEY_REFUSED own | {V} authentication failed: computed hash does not match hash received from peer {X}
AUTH_REFUSED own | {V} AUTH mismatch: Received AUTH != computed AUTH
AUTH_REFUSED own | {V} responding to IKE_AUTH message (ID 1) from {X}:4500 with encrypted notification AUTHENTICATION_FAILED
AUTH_REFUSED far | {V} IKE SA authentication request rejected by peer: AUTHENTICATION_FAILED
SELECTORS_REFUSED far | {V} IKE_AUTH response contained the error notification TS_UNACCEPTABLE
CHILD_PROPOSAL_REFUSED far | {V} IKE_AUTH response rejected Child SA with NO_PROPOSAL_CHOSEN
IKE_PROPOSAL_REFUSED far | {V} dropping unexpected IKE_SA_INIT message containing NO_PROPOSAL_CHOSEN notification; message payloads: N
IKE_PROPOSAL_REFUSED own | {V} no local proposal matches remote proposals 1:IKE:ENCR=AES_CBC_256;INTEG=HMAC_SHA2_256_128;DH=MODP2048
CHILD_PROPOSAL_REFUSED own | {V} no local proposal matches remote proposals 1:ESP:ENCR=AES_CBC_256;INTEG=HMAC_SHA2_256_128;ESN=DISABLED
NO_PEER own | packet from {X}:500: initial Main Mode message received but no connection has been authorized with policy PSK+IKEV1_ALLOW
NO_PEER own | packet from {X}:500: IKE_SA_INIT message received on 192.0.2.1:500 but no suitable connection found with IKEv2 policy
IDENTITY_REFUSED own | {V} we require IKEv2 peer to have ID '@south.example', but peer declares '@branch.example'
SELECTORS_REFUSED own | {V} No IKEv2 connection found with compatible Traffic Selectors
SELECTORS_REFUSED own | {V} cannot respond to IPsec SA request because no connection is known for 10.5.0.0/24===...===10.1.0.0/24
SELECTORS_REFUSED far | {V} received and ignored notification payload: INVALID_ID_INFORMATION
UNDECRYPTABLE own | {V} malformed payload in packet
UNDECRYPTABLE own | {V} length of ISAKMP Identification Payload is larger than can fit
GAVE_UP own | {V} STATE_MAIN_I3: 60 second timeout exceeded after 7 retransmits. No acceptable response to our first encrypted message
RESENT own | {V} STATE_V2_PARENT_I1: retransmission; will wait 0.5 seconds for response
IKE_UP own | {V} ISAKMP SA established {{auth=PRESHARED_KEY cipher=AES_CBC_256 integ=HMAC_SHA2_256 group=MODP2048}}
SEND_FAILED own | ERROR: {V} sendto on eth0 to {X}:500 failed in IKE_SA_INIT. Errno 101: Network is unreachable
PORT_CLOSED own | {V} ERROR: asynchronous network error report on eth0 for message to {X} port 500: Connection refused [errno 111]
IKE_DOWN own | {V} deleting IKE SA (STATE_V2_ESTABLISHED_IKE_SA) aged 5.0s and sending notification
DELETED_BY_PEER own | {V} received Delete SA payload: deleting IKE Security Association
CERTIFICATE_REFUSED own | {V} X509: Certificate rejected for this connection
PEER_LOST own | {V} IKEv2 liveness action - peer {X} has not responded in 10 seconds
PEER_LOST own | DPD: no response from peer {X} - declaring peer dead
MODE_REFUSED own | found 1 matching config, but none allows pre-shared key authentication using Main Mode
INSTALL_FAILED own | [KNL] unable to add SAD entry with SPI c1a2b3d4: kernel returned an error for {X}
REKEY_FAILED own | CHILD_SA rekeying failed, trying again in 14 seconds
CHILD_DOWN own | closing expired CHILD_SA lan{{1}} with SPIs b45465e0_i d35adb90_o and TS 10.1.0.0/24 === 10.2.0.0/24
NAT_FLOAT own | From here on we talk to {X} port 4500.
CONFIGURED own | The site link s2s.south to the gateway {X} has been read from the configuration. It uses IKE version 2.
"""
CASES = [tuple(part.strip() for part in row.split(" | ", 1)) for row in ROWS.strip().splitlines()]


@pytest.mark.parametrize(("says", "line"), CASES, ids=[f"{n}-{c[0]}" for n, c in enumerate(CASES)])
def test_wording(says: str, line: str) -> None:
    event = understand(line, Provenance("x", line=1))
    assert event is not None
    assert f"{event.what.name} {'far' if event.far else 'own'}" == says


@pytest.mark.parametrize(("says", "line"), CASES, ids=[f"{n}-{c[0]}" for n, c in enumerate(CASES)])
def test_numbers_and_addresses_do_not_change_what_a_wording_says(says: str, line: str) -> None:
    """The same words about another peer say the same: lines are recognised again by their shape."""
    event = understand(line.replace(X, "203.0.113.199").replace("10.1.0.0", "10.77.128.0"), Provenance("x", line=1))
    assert event is not None
    assert f"{event.what.name} {'far' if event.far else 'own'}" == says


def test_a_numbered_proposal_on_its_own_line_is_the_writers_setting():
    line = '"far-link":   2:IKE=AES_CBC_128-HMAC_SHA2_256-HMAC_SHA2_256_128-MODP2048'
    event = understand(line, Provenance("gateway.log", line=7))
    assert event is not None and event.what is What.PROPOSALS and event.conn == "far-link"
    assert event.mine is not None and event.mine.protocol == "IKE"
    assert (event.mine.encryption, event.mine.group) == (("AES-CBC-128",), ("14",))
