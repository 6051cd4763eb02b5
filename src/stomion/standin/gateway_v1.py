"""IKEv1 main mode with a pre-shared key for the stand-in gateways (RFC 2409 5.4), as far as a wrong key lets it come.

Messages 1 to 4 are in the clear, 5 is encrypted with a key that depends on the pre-shared key: with different keys the
responder finds nonsense in it, cannot say so in a way the initiator could read, and the initiator repeats itself.
"""

from __future__ import annotations

import hashlib
import hmac
from dataclasses import dataclass

from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes

from stomion.standin.dialects import Dialect
from stomion.standin.network import Network, Parcel
from stomion.standin.secrets import Exchange, exchange
from stomion.standin.voice import Voice
from stomion.wire.ike import Header, Message, Payload, decode, encode
from stomion.wire.ike import bodies as b
from stomion.wire.ike.attributes import Attribute
from stomion.wire.ike.sa_v1 import ProposalV1, SaV1, TransformV1

SA, KE, ID, HASH, NONCE, VENDOR = 1, 4, 5, 8, 10, 13
MAIN_MODE, ENCRYPTED = 2, 1
DPD = bytes.fromhex("afcad71368a1f1c96b8696fc77570100")
_BLOCK = 16


@dataclass(slots=True)
class PeerV1:
    """A gateway's configuration for one peer; AES-CBC-256, SHA2-256 and group 14 throughout."""

    tunnel: str
    address: str
    identity: str
    psk: bytes
    tries: int = 4
    base: float = 4.0
    factor: float = 1.8


@dataclass(slots=True)
class SessionV1:
    """One main mode."""

    peer: PeerV1
    number: int
    initiator: bool
    cookie_i: bytes
    cookie_r: bytes = b"\0" * 8
    exchange: Exchange | None = None
    theirs: bytes = b""
    nonce_i: bytes = b""
    nonce_r: bytes = b""
    waiting: bytes | None = None
    stage: int = 1


class MainMode(Voice):
    """The IKEv1 side of a gateway; it may share the log of its IKEv2 side."""

    def __init__(
        self,
        name: str,
        address: str,
        identity: str,
        dialect: Dialect,
        seed: str,
        offset: float = 0.0,
        lines: list[str] | None = None,
    ) -> None:
        super().__init__(name, address, identity, dialect, seed, offset, lines)
        self.peers: dict[str, PeerV1] = {}
        self.sessions: dict[bytes, SessionV1] = {}
        self._count = 0

    def initiate(self, net: Network, peer: PeerV1) -> None:
        """Send message 1."""
        self._count += 1
        session = SessionV1(peer, self._count, True, self.chance.take(8))
        self.sessions[session.cookie_i] = session
        self.say(net, "initiate-v1", number=session.number, tunnel=peer.tunnel, peer=peer.address)
        self._ask(net, session, self._message(session, (Payload(SA, _offer()), Payload(VENDOR, b.Opaque(DPD)))))

    def receive(self, net: Network, parcel: Parcel) -> None:
        """Take a datagram of main mode; others are left."""
        message = decode(parcel.payload)
        header = message.header
        peer = self.peers.get(parcel.src)
        if header is None or header.major != 1 or header.exchange != MAIN_MODE or peer is None:
            return
        session = self.sessions.get(header.spi_i)
        if session is None:
            session = self._asked(net, peer, header, parcel)
        if header.flags & ENCRYPTED:
            self._fifth(net, session, message)
        elif session.initiator:
            self._answered(net, session, message)
        else:
            self._answer(net, session, message)

    def _asked(self, net: Network, peer: PeerV1, header: Header, parcel: Parcel) -> SessionV1:
        self._count += 1
        session = SessionV1(peer, self._count, False, header.spi_i, self.chance.take(8))
        self.sessions[header.spi_i] = session
        self.say(net, "asked-v1", number=session.number, peer=parcel.src, port=parcel.sport)
        return session

    def _answer(self, net: Network, session: SessionV1, message: Message) -> None:
        """Messages 2 and 4."""
        kinds = {p.kind: p.body for p in message.payloads}
        if SA in kinds:
            self.say(net, "agreed", number=session.number, peer=session.peer.address, suite=_offer().model()[0])
            self._post(net, session, self._message(session, (Payload(SA, _offer()), Payload(VENDOR, b.Opaque(DPD)))))
        elif KE in kinds:
            session.theirs, session.nonce_i = kinds[KE].write(), kinds[NONCE].write()
            session.exchange, session.nonce_r = exchange(14, self.chance), self.chance.take(32)
            payloads = (Payload(KE, b.KeV1(session.exchange.public)), Payload(NONCE, b.Opaque(session.nonce_r)))
            self._post(net, session, self._message(session, payloads))

    def _answered(self, net: Network, session: SessionV1, message: Message) -> None:
        """Messages 3 and 5."""
        kinds = {p.kind: p.body for p in message.payloads}
        if message.header is not None:
            session.cookie_r = message.header.spi_r
        if SA in kinds and session.stage == 1:
            session.stage = 3
            self.say(net, "agreed", number=session.number, peer=session.peer.address, suite=_offer().model()[0])
            session.exchange, session.nonce_i = exchange(14, self.chance), self.chance.take(32)
            payloads = (Payload(KE, b.KeV1(session.exchange.public)), Payload(NONCE, b.Opaque(session.nonce_i)))
            self._ask(net, session, self._message(session, payloads))
        elif KE in kinds and session.stage == 3:
            session.stage = 5
            session.theirs, session.nonce_r = kinds[KE].write(), kinds[NONCE].write()
            self._ask(net, session, self._sealed(session))

    def _sealed(self, session: SessionV1) -> bytes:
        """Message 5: identity and its proof, encrypted (RFC 2409 5)."""
        assert session.exchange is not None
        identity = b.Identity(2, b"\0\0\0", self.identity.encode())
        skeyid, key = _keys(session)
        proof = hmac.new(skeyid, session.exchange.public + session.theirs + identity.write(), hashlib.sha256).digest()
        inner = Message(self._header(session, 0), (Payload(ID, identity), Payload(HASH, b.Opaque(proof))))
        plain = encode(inner)[28:]
        plain += b"\0" * (-len(plain) % _BLOCK)
        iv = hashlib.sha256(session.exchange.public + session.theirs).digest()[:_BLOCK]
        cipher = Cipher(algorithms.AES(key), modes.CBC(iv)).encryptor()
        sealed = Payload(ID, b.Sealed(cipher.update(plain) + cipher.finalize()))
        return encode(Message(self._header(session, ENCRYPTED), (sealed,)))

    def _fifth(self, net: Network, session: SessionV1, message: Message) -> None:
        """Decrypt message 5: with another key it is nonsense, and nothing readable can be answered."""
        assert session.exchange is not None
        _, key = _keys(session)
        iv = hashlib.sha256(session.theirs + session.exchange.public).digest()[:_BLOCK]
        cipher = Cipher(algorithms.AES(key), modes.CBC(iv)).decryptor()
        plain = cipher.update(message.payloads[0].body.write()) + cipher.finalize()
        length = plain[2] << 8 | plain[3]
        if plain[1] == 0 and 8 <= length <= len(plain):
            self.say(net, "auth-ok", number=session.number, peer=session.peer.address, identity=session.peer.identity)
            return
        self.say(net, "garbled", number=session.number, peer=session.peer.address, length=length)

    def _message(self, session: SessionV1, payloads: tuple[Payload, ...]) -> bytes:
        return encode(Message(self._header(session, 0), payloads))

    def _header(self, session: SessionV1, flags: int) -> Header:
        return Header(session.cookie_i, session.cookie_r, 0, 0x10, MAIN_MODE, flags, 0, 0)

    def _post(self, net: Network, session: SessionV1, raw: bytes) -> None:
        net.after(0.004, lambda: net.send(Parcel(self.address, 500, session.peer.address, 500, raw)))

    def _ask(self, net: Network, session: SessionV1, raw: bytes, tries: int = 1) -> None:
        session.waiting = raw
        net.send(Parcel(self.address, 500, session.peer.address, 500, raw))
        net.after(session.peer.base * session.peer.factor ** (tries - 1), lambda: self._again(net, session, raw, tries))

    def _again(self, net: Network, session: SessionV1, raw: bytes, tries: int) -> None:
        if session.waiting is not raw:
            return
        fields = {"number": session.number, "peer": session.peer.address, "tries": tries, "message": session.stage}
        if tries >= session.peer.tries:
            self.say(net, "gave-up", **fields)
            session.waiting = None
            return
        self.say(net, "again", **fields)
        self._ask(net, session, raw, tries + 1)


def _offer() -> SaV1:
    attributes = (
        Attribute(1, 7),
        Attribute(14, 256),
        Attribute(2, 4),
        Attribute(4, 14),
        Attribute(3, 1),
        Attribute(11, 1),
        Attribute(12, 28_800),
    )
    return SaV1(1, 1, (ProposalV1(1, 1, b"", (TransformV1(1, 1, attributes),)),))


def _keys(session: SessionV1) -> tuple[bytes, bytes]:
    """(SKEYID, the encryption key) with a pre-shared key (RFC 2409 5 and appendix B)."""
    assert session.exchange is not None
    shared = session.exchange.shared(session.theirs)
    cookies = session.cookie_i + session.cookie_r

    def prf(key: bytes, data: bytes) -> bytes:
        return hmac.new(key, data, hashlib.sha256).digest()

    skeyid = prf(session.peer.psk, session.nonce_i + session.nonce_r)
    d = prf(skeyid, shared + cookies + b"\0")
    a = prf(skeyid, d + shared + cookies + b"\1")
    return skeyid, prf(skeyid, a + shared + cookies + b"\2")
