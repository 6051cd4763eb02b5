"""Opening encrypted messages with keys the user has: IKEv2 (RFC 7296 3.14, RFC 5282, RFC 7383), IKEv1 (RFC 2409 appendix B).

Nothing is taken for opened that does not prove itself: IKEv2 by its integrity check, IKEv1, which has none, by a payload
chain and padding that come out exactly. Keys are never printed: `IkeKeys` shows none of them.
"""

from __future__ import annotations

import hashlib
import hmac

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers import Cipher, algorithms, modes
from cryptography.hazmat.primitives.ciphers.aead import AESGCM, ChaCha20Poly1305
from msgspec.structs import replace

from stomion.wire.ike import bodies as b
from stomion.wire.ike.keys import IkeKeys
from stomion.wire.ike.message import FLAG_V1_ENCRYPTED, HEADER, HEADER_SIZE, SKF, Header, Message, Payload, decode
from stomion.wire.ike.numbers import GENERIC_HEADER

_MACS = {
    "HMAC-MD5-96": (hashlib.md5, 12),
    "HMAC-SHA1-96": (hashlib.sha1, 12),
    "HMAC-SHA2-256-128": (hashlib.sha256, 16),
    "HMAC-SHA2-384-192": (hashlib.sha384, 24),
    "HMAC-SHA2-512-256": (hashlib.sha512, 32),
}
_HASHES = {
    "MD5": hashlib.md5,
    "SHA1": hashlib.sha1,
    "SHA2-256": hashlib.sha256,
    "SHA2-384": hashlib.sha384,
    "SHA2-512": hashlib.sha512,
}
_SALT, _GCM_IV = 4, 8

BOTH_ENDS = 2
"""Public values that a phase 1 has, one of either end."""
MAX_PADDING = 255
"""Padding bytes: their count is one byte (RFC 7296 3.14)."""


def open_v2(raw: bytes, message: Message, keys: IkeKeys) -> Message | None:
    """The message with its inner payloads in place of the encrypted one; None where the keys do not fit.

    A fragment gives its piece as an Opaque payload, for `join_fragments`.
    """
    header = message.header
    if (
        header is None
        or not message.payloads
        or not isinstance(message.payloads[-1].body, (b.Sealed, b.SealedFragment))
    ):
        return None
    payload = message.payloads[-1]
    first = payload.offset + 4 + (4 if payload.kind == SKF else 0)
    plain = _unseal(raw[: header.length], first, header, keys)
    if plain is None:
        return None
    if payload.kind == SKF:
        return Message(
            header, (*message.payloads[:-1], Payload(SKF, b.Opaque(plain), 0, payload.offset, payload.next_inside))
        )
    return _with_inner(header, message.payloads[:-1], payload.next_inside, plain)


def _unseal(raw: bytes, start: int, header: Header, keys: IkeKeys) -> bytes | None:
    """Plaintext of what follows `start`, checked; None where it does not open."""
    enc, mac = (keys.sk_ei, keys.sk_ai) if header.from_initiator else (keys.sk_er, keys.sk_ar)
    try:
        key, mac_key = bytes.fromhex(enc), bytes.fromhex(mac)
        if "GCM" in keys.encryption or "CHACHA" in keys.encryption:
            return _unpadded(_aead(keys.encryption, key, raw, start))
        return _unpadded(_cbc_checked(keys, key, mac_key, raw, start))
    except (ValueError, InvalidTag, IndexError):
        return None


def _aead(name: str, key: bytes, raw: bytes, start: int) -> bytes:
    iv, body = raw[start : start + _GCM_IV], raw[start + _GCM_IV :]
    cipher = AESGCM(key[:-_SALT]) if "GCM" in name else ChaCha20Poly1305(key[:-_SALT])
    return cipher.decrypt(key[-_SALT:] + iv, body, raw[:start])


def _cbc_checked(keys: IkeKeys, key: bytes, mac_key: bytes, raw: bytes, start: int) -> bytes:
    kind, size = _MACS.get(keys.integrity, (None, 0))
    if kind is None or not hmac.compare_digest(hmac.new(mac_key, raw[:-size], kind).digest()[:size], raw[-size:]):
        raise ValueError("integrity check failed")
    block = 8 if keys.encryption.startswith("3DES") else 16
    return _cbc(keys.encryption, key, raw[start : start + block], raw[start + block : -size])


def _cbc(name: str, key: bytes, iv: bytes, data: bytes) -> bytes:
    if name.startswith("3DES"):
        from cryptography.hazmat.decrepit.ciphers.algorithms import TripleDES

        cipher: Cipher[modes.CBC] = Cipher(TripleDES(key), modes.CBC(iv))
    else:
        cipher = Cipher(algorithms.AES(key), modes.CBC(iv))
    opener = cipher.decryptor()
    return opener.update(data) + opener.finalize()


def _unpadded(plain: bytes) -> bytes:
    """Without padding and its length byte (RFC 7296 3.14)."""
    size = plain[-1] + 1
    if size > len(plain):
        raise ValueError("padding longer than the message")
    return plain[:-size]


def _with_inner(header: Header, before: tuple[Payload, ...], first: int, plain: bytes) -> Message | None:
    inner = decode(_bare(header, first, plain))
    if inner.damage and inner.payloads == () and plain:
        return None
    return Message(header, (*before, *inner.payloads), inner.damage)


def _bare(header: Header, first: int, plain: bytes) -> bytes:
    """A message whose payloads are these bytes, unencrypted."""
    flags = header.flags & ~FLAG_V1_ENCRYPTED if header.major == 1 else header.flags
    head = (header.spi_i, header.spi_r, first, header.version, header.exchange, flags, header.message_id)
    return HEADER.pack(*head, HEADER_SIZE + len(plain)) + plain


def join_fragments(pieces: list[Message]) -> Message | None:
    """Opened fragments of one message, in order, as that message; None where a piece is missing."""
    parts = [p.payloads[-1] for p in pieces]
    header = pieces[0].header
    if header is None or any(not isinstance(p.body, b.Opaque) for p in parts):
        return None
    plain = b"".join(p.body.write() for p in parts)
    return _with_inner(header, (), parts[0].next_inside, plain)


class V1Opener:
    """Opens the messages of one IKEv1 SA, which has to see them in their order: each IV follows from the one before."""

    def __init__(self, keys: IkeKeys) -> None:
        self._keys = keys
        self._hash = _HASHES.get(keys.hash)
        self._public: list[bytes] = []
        self._phase1: bytes | None = None
        self._others: dict[int, bytes] = {}

    def open(self, raw: bytes, message: Message) -> Message | None:
        """The message with its inner payloads, or None; unencrypted ones only give their KE payloads."""
        header = message.header
        if header is None or self._hash is None:
            return None
        if not header.flags & FLAG_V1_ENCRYPTED:
            self._public.extend(p.body.data for p in message.payloads if isinstance(p.body, b.KeV1))
            return None
        block = 8 if self._keys.encryption.startswith("3DES") else 16
        iv = self._iv(header, block)
        data = raw[HEADER_SIZE : header.length]
        if iv is None or not data or len(data) % block:
            return None
        try:
            plain = _cbc(self._keys.encryption, bytes.fromhex(self._keys.key), iv, data)
        except ValueError:
            return None
        opened = self._checked(header, plain)
        if opened is not None:
            self._remember(header, data[-block:])
        return opened

    def _iv(self, header: Header, block: int) -> bytes | None:
        assert self._hash is not None
        if header.message_id == 0:
            if self._phase1 is None and len(self._public) >= BOTH_ENDS:
                return self._hash(self._public[0] + self._public[1]).digest()[:block]
            return self._phase1
        if header.message_id in self._others:
            return self._others[header.message_id]
        if self._phase1 is None:
            return None
        return self._hash(self._phase1 + header.message_id.to_bytes(4, "big")).digest()[:block]

    def _remember(self, header: Header, last: bytes) -> None:
        if header.message_id == 0:
            self._phase1 = last
        else:
            self._others[header.message_id] = last

    def _checked(self, header: Header, plain: bytes) -> Message | None:
        """Opened only if the chain of payloads is whole and nothing but padding follows it."""
        size = _chain_size(plain, header.next_payload)
        if size is None or len(plain) - size > MAX_PADDING:
            return None
        inner = decode(_bare(header, header.next_payload, plain[:size]))
        return replace(inner, header=header) if not inner.damage else None


def _chain_size(plain: bytes, kind: int) -> int | None:
    """Bytes that a payload chain takes, or None where it does not hold together."""
    at = 0
    while kind:
        if at + 4 > len(plain):
            return None
        length = plain[at + 2] << 8 | plain[at + 3]
        if length < GENERIC_HEADER or at + length > len(plain) or plain[at + 1]:
            return None
        kind, at = plain[at], at + length
    return at
