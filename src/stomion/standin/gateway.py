"""A gateway that negotiates IKEv2 through the project's own codec: it builds, seals, parses and answers real messages."""

from __future__ import annotations

import hashlib
import ipaddress

from cryptography.exceptions import InvalidTag
from msgspec.structs import replace

from stomion.standin.configuration import Peer, Session
from stomion.standin.dialects import Dialect
from stomion.standin.network import Network, Parcel
from stomion.standin.secrets import auth_value, derive, exchange, seal, unseal
from stomion.standin.voice import Voice
from stomion.wire.ike import Header, Message, Payload, decode, encode
from stomion.wire.ike import bodies as b
from stomion.wire.ike.message import SK
from stomion.wire.ike.sa_v2 import SaV2, WireProposal

SA, KE, IDI, IDR, AUTH, NONCE, NOTIFY, TSI, TSR = 33, 34, 35, 36, 39, 40, 41, 44, 45
INIT, IKE_AUTH, CREATE_CHILD, INFORMATIONAL = 34, 35, 36, 37
MARKER = b"\0\0\0\0"


class Gateway(Voice):
    """One gateway; `offset` is its clock's error in seconds, `quiet` one whose log nobody has."""

    def __init__(
        self, name: str, address: str, identity: str, dialect: Dialect, seed: str, offset: float = 0.0
    ) -> None:
        super().__init__(name, address, identity, dialect, seed, offset)
        self.peers: dict[str, Peer] = {}
        self.sessions: dict[bytes, Session] = {}
        self.count = 0

    # -- asking ------------------------------------------------------------------------------------------------

    def initiate(self, net: Network, peer: Peer) -> None:
        """Begin a new IKE SA."""
        self.count += 1
        session = Session(peer, self.count, True, self.chance.take(8))
        self.sessions[session.spi_i] = session
        session.nonce_i = self.chance.take(32)
        offer = SaV2((peer.ike.proposal(),)).model()[0]
        self.say(net, "initiate", number=session.number, tunnel=peer.tunnel, peer=peer.address, offer=_named(offer))
        self._send_init(net, session, peer.first_group)

    def _send_init(self, net: Network, session: Session, group: int) -> None:
        session.exchange = exchange(group, self.chance)
        peer = session.peer
        payloads = (
            Payload(SA, SaV2((peer.ike.proposal(),))),
            Payload(KE, b.KeV2(group, 0, session.exchange.public)),
            Payload(NONCE, b.Opaque(session.nonce_i)),
            *_nat_payloads(session.spi_i, b"\0" * 8, self.address, peer.address),
            Payload(NOTIFY, b.Notify(None, 0, b"", 16430)),
        )
        raw = encode(Message(Header(session.spi_i, b"\0" * 8, 0, 0x20, INIT, 0x08, 0, 0), payloads))
        session.first = raw
        self._ask(net, session, raw, 500)

    def _ask(self, net: Network, session: Session, raw: bytes, port: int, tries: int = 1) -> None:
        """Send a request and, while it goes unanswered, send it again with growing gaps."""
        session.waiting = raw
        self._post(net, session.peer.address, port, raw)
        gap = session.peer.base * session.peer.factor ** (tries - 1)
        net.after(gap, lambda: self._again(net, session, raw, port, tries))

    def _again(self, net: Network, session: Session, raw: bytes, port: int, tries: int) -> None:
        if session.waiting is not raw or session.done:
            return
        fields = {"number": session.number, "peer": session.peer.address, "tries": tries, "message": 0}
        if tries >= session.peer.tries:
            self.say(net, "gave-up", **fields)
            session.done = True
            if session.peer.on_lost is not None:
                session.peer.on_lost(session)
            return
        self.say(net, "again", **fields)
        self._ask(net, session, raw, port, tries + 1)

    def _post(self, net: Network, to: str, port: int, raw: bytes) -> None:
        payload = raw if port == 500 else MARKER + raw
        net.send(Parcel(self.address, port, to, port, payload))

    def probe(self, net: Network, session: Session) -> None:
        """Ask whether the peer is alive (RFC 7296 2.4): an empty INFORMATIONAL request."""
        raw = self._seal(session, INFORMATIONAL, 0x08 if session.initiator else 0, session.next_id, ())
        session.next_id += 1
        self._ask(net, session, raw, 4500)

    # -- receiving ---------------------------------------------------------------------------------------------

    def receive(self, net: Network, parcel: Parcel) -> None:
        """Take a datagram: answer it, go on with it, or leave it."""
        raw = parcel.payload
        if parcel.dport == 4500:
            if raw[:4] != MARKER:
                return
            raw = raw[4:]
        message = decode(raw)
        header = message.header
        peer = self.peers.get(parcel.src)
        if header is None or message.damage:
            return
        if peer is None:
            if header.exchange == INIT and not header.is_response:
                self.say(net, "stranger", peer=parcel.src, port=parcel.sport)
            return
        session = self.sessions.get(header.spi_i)
        if header.is_response:
            if session is not None and not session.done:
                self._answered(net, session, message, raw)
        elif header.exchange == INIT:
            self._asked(net, peer, message, raw, parcel)
        elif session is not None and session.keys is not None:
            self._sealed_request(net, session, message, raw, parcel.sport)

    def _answered(self, net: Network, session: Session, message: Message, raw: bytes) -> None:
        assert message.header is not None
        if message.header.exchange == INIT:
            self._init_answer(net, session, message, raw)
        elif session.keys is not None:
            inner = self._open(session, message, raw)
            session.waiting = None
            if message.header.exchange == IKE_AUTH:
                self._auth_answer(net, session, inner)
            elif message.header.exchange == CREATE_CHILD:
                self._rekey_answer(net, session, inner)

    # -- first exchange ----------------------------------------------------------------------------------------

    def _asked(self, net: Network, peer: Peer, message: Message, raw: bytes, parcel: Parcel) -> None:
        """An IKE_SA_INIT request: refuse it, ask for another group, or agree."""
        assert message.header is not None
        self.count += 1
        session = Session(peer, self.count, False, message.header.spi_i)
        self.say(net, "asked", number=session.number, peer=parcel.src, port=parcel.sport)
        offers = next(p.body for p in message.payloads if isinstance(p.body, SaV2))
        ke = next(p.body for p in message.payloads if isinstance(p.body, b.KeV2))
        chosen = peer.ike.choose(offers)
        if chosen is None:
            allowed = SaV2((peer.ike.proposal(),)).model()[0]
            self.say(
                net,
                "no-proposal",
                number=session.number,
                peer=parcel.src,
                offer=_named(offers.model()[0]),
                allowed=_named(allowed),
            )
            self._refuse(net, session, 14)
            return
        group = next(t.number for t in chosen.transforms if t.kind == 4)
        if ke.group != group:
            self.say(net, "other-group", number=session.number, peer=parcel.src, group=group)
            self._refuse(net, session, 17, group.to_bytes(2, "big"))
            return
        session.nonce_i = next(
            p.body.data for p in message.payloads if p.kind == NONCE and isinstance(p.body, b.Opaque)
        )
        session.first = raw
        self._agree(net, session, chosen, ke)

    def _refuse(self, net: Network, session: Session, kind: int, data: bytes = b"") -> None:
        header = Header(session.spi_i, b"\0" * 8, 0, 0x20, INIT, 0x20, 0, 0)
        raw = encode(Message(header, (Payload(NOTIFY, b.Notify(None, 0, b"", kind, data)),)))
        net.after(0.004, lambda: self._post(net, session.peer.address, 500, raw))

    def _agree(self, net: Network, session: Session, chosen: WireProposal, ke: b.KeV2) -> None:
        peer = session.peer
        session.spi_r, session.nonce_r = self.chance.take(8), self.chance.take(32)
        session.exchange = exchange(ke.group, self.chance)
        payloads = (
            Payload(SA, SaV2((chosen,))),
            Payload(KE, b.KeV2(ke.group, 0, session.exchange.public)),
            Payload(NONCE, b.Opaque(session.nonce_r)),
            *_nat_payloads(session.spi_i, session.spi_r, self.address, peer.address),
            Payload(NOTIFY, b.Notify(None, 0, b"", 16430)),
        )
        raw = encode(Message(Header(session.spi_i, session.spi_r, 0, 0x20, INIT, 0x20, 0, 0), payloads))
        session.second = raw
        self._derive(session, chosen, ke.data)
        self.sessions[session.spi_i] = session
        self.say(net, "agreed", number=session.number, peer=peer.address, suite=_named(chosen.model()))
        net.after(0.004, lambda: self._post(net, peer.address, 500, raw))

    def _derive(self, session: Session, chosen: WireProposal, public: bytes) -> None:
        assert session.exchange is not None
        number = next(t.number for t in chosen.transforms if t.kind == 2)
        secret = session.exchange.shared(public)
        session.keys = derive(number, secret, session.nonce_i + session.nonce_r, session.spi_i + session.spi_r)

    def _init_answer(self, net: Network, session: Session, message: Message, raw: bytes) -> None:
        assert message.header is not None
        peer = session.peer
        refusal = next((n for n in message.notifies if n.is_error), None)
        if refusal is not None:
            if refusal.wanted_group is not None:
                self.say(net, "retry-group", number=session.number, peer=peer.address, group=refusal.wanted_group)
                self._send_init(net, session, refusal.wanted_group)
            elif peer.heeds_refusal:
                self.say(net, "told-no-proposal", number=session.number, peer=peer.address)
                session.done, session.waiting = True, None
            return
        if session.keys is not None:
            return
        session.spi_r, session.second = message.header.spi_r, raw
        chosen = next(p.body for p in message.payloads if isinstance(p.body, SaV2)).proposals[0]
        session.nonce_r = next(
            p.body.data for p in message.payloads if p.kind == NONCE and isinstance(p.body, b.Opaque)
        )
        ke = next(p.body for p in message.payloads if isinstance(p.body, b.KeV2))
        self._derive(session, chosen, ke.data)
        self.say(net, "agreed", number=session.number, peer=peer.address, suite=_named(chosen.model()))
        self._send_auth(net, session)

    # -- authentication ----------------------------------------------------------------------------------------

    def _send_auth(self, net: Network, session: Session) -> None:
        session.spi_in = self.chance.take(4)
        peer = session.peer
        own = b.Identity(2, b"\0\0\0", self.identity.encode())
        inner = (
            Payload(IDI, own),
            Payload(IDR, b.Identity(2, b"\0\0\0", peer.identity.encode())),
            Payload(AUTH, b.Auth(2, b"\0\0\0", self._proof(session, own))),
            Payload(SA, SaV2((peer.child.proposal(session.spi_in, groups=False),))),
            Payload(TSI, _selector(peer.local)),
            Payload(TSR, _selector(peer.remote)),
        )
        raw = self._seal(session, IKE_AUTH, 0x08, 1, inner)
        session.next_id = 2
        self._ask(net, session, raw, 4500)

    def _proof(self, session: Session, identity: b.Identity, of_initiator: bool | None = None) -> bytes:
        """The AUTH value of one side: its own first message, the other's nonce, its identity (RFC 7296 2.15)."""
        keys = session.keys
        assert keys is not None
        first = session.initiator if of_initiator is None else of_initiator
        message, nonce, sk = (
            (session.first, session.nonce_r, keys.pi) if first else (session.second, session.nonce_i, keys.pr)
        )
        return auth_value(keys.prf, session.peer.psk, message, nonce, sk, identity.write())

    def _sealed_request(self, net: Network, session: Session, message: Message, raw: bytes, port: int) -> None:
        assert message.header is not None
        digest = hashlib.sha256(raw).digest()
        if digest not in session.replies:
            inner = self._open(session, message, raw)
            if message.header.exchange == IKE_AUTH:
                payloads = self._auth_reply(net, session, inner)
            elif message.header.exchange == CREATE_CHILD:
                payloads = self._rekey_reply(net, session, inner)
            else:
                payloads = ()
            flags = 0x20 if message.header.from_initiator else 0x28
            session.replies[digest] = self._seal(
                session, message.header.exchange, flags, message.header.message_id, payloads
            )
        reply = session.replies[digest]
        net.after(0.005, lambda: self._post(net, session.peer.address, port, reply))

    def _auth_reply(self, net: Network, session: Session, inner: Message) -> tuple[Payload, ...]:
        peer = session.peer
        identity = next(p.body for p in inner.payloads if p.kind == IDI and isinstance(p.body, b.Identity))
        proof = next(p.body for p in inner.payloads if isinstance(p.body, b.Auth))
        fields = {"number": session.number, "peer": peer.address, "identity": identity.text}
        if proof.data != self._proof(session, identity, of_initiator=True):
            self.say(net, "bad-key", **fields)
            session.done = True
            return (Payload(NOTIFY, b.Notify(None, 0, b"", 24)),)
        self.say(net, "auth-ok", **fields)
        self.say(net, "ike-up", lifetime=peer.lifetime, **fields)
        own = b.Identity(2, b"\0\0\0", self.identity.encode())
        head = (Payload(IDR, own), Payload(AUTH, b.Auth(2, b"\0\0\0", self._proof(session, own, of_initiator=False))))
        asked = [p.body for p in inner.payloads if isinstance(p.body, b.TsList)]
        if [_selector(peer.remote), _selector(peer.local)] != asked:
            self._refuse_selectors(net, session, asked)
            return (*head, Payload(NOTIFY, b.Notify(None, 0, b"", 38)))
        offer = next(p.body for p in inner.payloads if isinstance(p.body, SaV2)).proposals[0]
        session.spi_in, session.spi_out = self.chance.take(4), offer.spi
        self._child_up(net, session, "child-up")
        chosen = replace(offer, spi=session.spi_in)
        return (*head, Payload(SA, SaV2((chosen,))), Payload(TSI, asked[0]), Payload(TSR, asked[1]))

    def _refuse_selectors(self, net: Network, session: Session, asked: list[b.TsList]) -> None:
        peer = session.peer
        self.say(
            net,
            "no-selectors",
            number=session.number,
            peer=peer.address,
            asked_local=_network(asked[1]),
            asked_remote=_network(asked[0]),
            local=peer.local,
            remote=peer.remote,
        )

    def _child_up(self, net: Network, session: Session, event: str, old: bytes = b"") -> None:
        peer = session.peer
        self.say(
            net,
            event,
            number=session.number,
            tunnel=peer.tunnel,
            identity=peer.identity,
            spi_in=session.spi_in.hex(),
            spi_out=session.spi_out.hex(),
            local=peer.local,
            remote=peer.remote,
            old_in=old.hex(),
            suite=_named(SaV2((peer.child.proposal(groups=False),)).model()[0]),
        )
        if peer.on_child is not None:
            peer.on_child(session)

    def _auth_answer(self, net: Network, session: Session, inner: Message) -> None:
        peer = session.peer
        fields = {"number": session.number, "peer": peer.address, "identity": peer.identity}
        refusal = next((n for n in inner.notifies if n.is_error), None)
        if refusal is not None and refusal.kind == 24:
            self.say(net, "told-auth", **fields)
            session.done = True
            return
        self.say(net, "auth-ok", **fields)
        self.say(net, "ike-up", lifetime=peer.lifetime, **fields)
        if refusal is not None:
            self.say(net, "told-selectors", local=peer.local, remote=peer.remote, **fields)
            return
        session.spi_out = next(p.body for p in inner.payloads if isinstance(p.body, SaV2)).proposals[0].spi
        self._child_up(net, session, "child-up")

    # -- rekeying a child --------------------------------------------------------------------------------------

    def rekey(self, net: Network, session: Session) -> None:
        """Replace the Child SA (RFC 7296 2.8), with a fresh key exchange where its proposal has a group."""
        peer = session.peer
        old, session.spi_in = session.spi_in, self.chance.take(4)
        group = peer.child.groups[0] if peer.child.groups else None
        inner: tuple[Payload, ...] = (
            Payload(NOTIFY, b.Notify(None, 3, old, 16393)),
            Payload(SA, SaV2((peer.child.proposal(session.spi_in),))),
            Payload(NONCE, b.Opaque(self.chance.take(32))),
        )
        if group is not None:
            inner += (Payload(KE, b.KeV2(group, 0, exchange(group, self.chance).public)),)
        inner += (Payload(TSI, _selector(peer.local)), Payload(TSR, _selector(peer.remote)))
        raw = self._seal(session, CREATE_CHILD, 0x08 if session.initiator else 0, session.next_id, inner)
        session.next_id += 1
        session.nonce_r = old
        self._ask(net, session, raw, 4500)

    def _rekey_reply(self, net: Network, session: Session, inner: Message) -> tuple[Payload, ...]:
        offers = next(p.body for p in inner.payloads if isinstance(p.body, SaV2))
        chosen = session.peer.child.choose(offers)
        if chosen is None:
            allowed = SaV2((session.peer.child.proposal(),)).model()[0]
            fields = {"offer": offers.model()[0], "allowed": allowed, "peer": session.peer.address}
            self.say(net, "no-child", number=session.number, **fields)
            return (Payload(NOTIFY, b.Notify(None, 0, b"", 14)),)
        offer = chosen
        asked = [p.body for p in inner.payloads if isinstance(p.body, b.TsList)]
        old, session.spi_in, session.spi_out = session.spi_in, self.chance.take(4), offer.spi
        self._child_up(net, session, "rekeyed", old)
        found = [
            Payload(SA, SaV2((replace(offer, spi=session.spi_in),))),
            Payload(NONCE, b.Opaque(self.chance.take(32))),
        ]
        if session.peer.child.groups:
            group = session.peer.child.groups[0]
            found.append(Payload(KE, b.KeV2(group, 0, exchange(group, self.chance).public)))
        return (*found, Payload(TSI, asked[0]), Payload(TSR, asked[1]))

    def _rekey_answer(self, net: Network, session: Session, inner: Message) -> None:
        if any(n.is_error for n in inner.notifies):
            self.say(net, "told-no-child", number=session.number, peer=session.peer.address, tunnel=session.peer.tunnel)
            session.spi_in = session.nonce_r
            return
        session.spi_out = next(p.body for p in inner.payloads if isinstance(p.body, SaV2)).proposals[0].spi
        self._child_up(net, session, "rekeyed", session.nonce_r)

    # -- sealing -----------------------------------------------------------------------------------------------

    def _seal(self, session: Session, kind: int, flags: int, ident: int, inner: tuple[Payload, ...]) -> bytes:
        keys = session.keys
        assert keys is not None
        header = Header(session.spi_i, session.spi_r, 0, 0x20, kind, flags, ident, 0)
        plain = encode(Message(header, inner))[28:]
        body = 8 + len(plain) + 1 + 16
        first = inner[0].kind if inner else 0
        outer = Message(header, (Payload(SK, b.Sealed(b"\0" * body), 0, 0, first),))
        head = encode(outer)[: 28 + 4]
        sealed = seal(keys.ei if session.initiator else keys.er, self.chance.take(8), plain, head)
        return encode(replace(outer, payloads=(Payload(SK, b.Sealed(sealed), 0, 0, first),)))

    def _open(self, session: Session, message: Message, raw: bytes) -> Message:
        keys = session.keys
        assert keys is not None and message.header is not None
        payload = message.payloads[0]
        key = keys.er if session.initiator else keys.ei
        try:
            plain = unseal(key, payload.body.write(), raw[: payload.offset + 4])
        except InvalidTag:
            return Message(message.header)
        head = replace(message.header, next_payload=payload.next_inside, length=28 + len(plain))
        return decode(
            encode(Message(head))[:16]
            + bytes([payload.next_inside])
            + encode(Message(head))[17:24]
            + (28 + len(plain)).to_bytes(4, "big")
            + plain
        )


def _nat_payloads(spi_i: bytes, spi_r: bytes, own: str, peer: str) -> tuple[Payload, Payload]:
    """NAT_DETECTION_SOURCE_IP and _DESTINATION_IP (RFC 7296 2.23)."""

    def digest(address: str) -> bytes:
        packed = ipaddress.ip_address(address).packed
        return hashlib.sha1(spi_i + spi_r + packed + (500).to_bytes(2, "big")).digest()

    return (
        Payload(NOTIFY, b.Notify(None, 0, b"", 16388, digest(own))),
        Payload(NOTIFY, b.Notify(None, 0, b"", 16389, digest(peer))),
    )


def _selector(prefix: str) -> b.TsList:
    network = ipaddress.ip_network(prefix)
    data = (0).to_bytes(2, "big") + (65535).to_bytes(2, "big") + network[0].packed + network[-1].packed
    return b.TsList(b"\0\0\0", (b.TsRange(7 if network.version == 4 else 8, 0, data),))


def _network(ts: b.TsList) -> str:
    data = ts.ranges[0].data
    half = (len(data) - 4) // 2
    low, high = (ipaddress.ip_address(data[4 + i * half : 4 + (i + 1) * half]) for i in (0, 1))
    return str(next(ipaddress.summarize_address_range(low, high)))


def _named(proposal: object) -> str:
    return str(proposal)
