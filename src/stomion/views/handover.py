"""Everything one end must set so that the tunnel works, as facts: worked out from the other end and from what both agree on."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from stomion.crypto.agreement import would_choose
from stomion.diagnosis.offers import offer_rank
from stomion.model.site import SheetTunnel
from stomion.tunnel import settings
from stomion.tunnel.picture import End, Picture
from stomion.tunnel.settings import Layer, known, standing_sheet
from stomion.views.compare import asking_side
from stomion.wire import registries as iana

_TABLES: dict[str, dict[int, str]] = {"encryption": iana.ENCR, "integrity": iana.INTEG, "prf": iana.PRF}


@dataclass(frozen=True, slots=True)
class Setting:
    """One thing to set: `number` is its IANA number where it has one."""

    name: str
    value: str
    number: str = ""


@dataclass(frozen=True, slots=True)
class Handover:
    """What `site` has to set for a tunnel with `other`."""

    tunnel: str
    site: str
    title: str
    other: str
    other_title: str
    peer: tuple[Setting, ...]
    ike: tuple[Setting, ...]
    child: tuple[Setting, ...]
    selectors: tuple[Setting, ...]
    path: tuple[str, ...]
    tests: tuple[str, ...]
    open_points: tuple[str, ...]
    key_mark: str = ""


def handover(picture: Picture, end: End) -> Handover:
    """For the engineer of `end`, from the other end's sheet or from what was seen of it."""
    other = picture.other(end)
    theirs = standing_sheet(picture, other)
    own = standing_sheet(picture, end)
    near = theirs.remote_ts or own.local_ts
    far = theirs.local_ts or own.remote_ts
    version = theirs.ike or own.ike or picture.version
    return Handover(
        picture.name, end.site, end.title, other.site, other.title,
        _peer(picture, end, theirs, own, version),
        _layer(picture, end, Layer.IKE), _layer(picture, end, Layer.CHILD),
        (Setting("own side", ", ".join(near)), Setting("far side", ", ".join(far)), *_style(theirs)),
        _path(end, other, near, far, theirs), _tests(end, other, near, far),
        _open(picture, theirs, near, far), theirs.key_mark,
    )  # fmt: skip


def _given(*rows: tuple[str, str] | tuple[str, str, str]) -> tuple[Setting, ...]:
    """Settings that have a value."""
    return tuple(Setting(*row) for row in rows if row[1])


_STARTS = {
    "always": "may wait: the other end starts",
    "never": "must start",
    "on-traffic": "may start, the other end does on traffic",
}


def _peer(
    picture: Picture, end: End, theirs: SheetTunnel, own: SheetTunnel, version: int | None
) -> tuple[Setting, ...]:
    other = picture.other(end)
    method = {"psk": "pre-shared key", "certificate": "certificate"}.get(theirs.auth or own.auth, "")
    return _given(
        ("own address", end.address or theirs.peer),
        ("peer address", theirs.local or other.address),
        ("IKE version", str(version) if version else ""),
        ("phase 1 mode", theirs.mode if version == 1 else ""),
        ("own identity", theirs.remote_id or own.local_id),
        ("peer identity", theirs.local_id or own.remote_id),
        ("authentication", method),
        ("starts", _STARTS.get(theirs.initiate, "")),
        ("peer detection", f"every {theirs.dpd.interval_s:g} s" if theirs.dpd and theirs.dpd.interval_s else ""),
        ("NAT traversal", theirs.nat_traversal),
    )  # fmt: skip


def _layer(picture: Picture, end: End, layer: Layer) -> tuple[Setting, ...]:
    """The agreed values where both lists meet, else all that the other end takes."""
    other = picture.other(end)
    ends = picture.ends if asking_side(picture) == 0 else picture.ends[::-1]
    told = {e.site: known(picture, e, layer).value for e in ends}
    chosen = would_choose(told[ends[0].site], told[ends[1].site], picture.version or 2) if all(told.values()) else None
    # Separate offers are fixed combinations: without an agreement the strongest of them stands, whole.
    source = (chosen,) if chosen is not None else tuple(sorted(told[other.site], key=offer_rank)[:1])
    old = (settings.version(picture, other).value or picture.version) == 1
    rows = []
    for kind, name in (("encryption", "encryption"), ("integrity", "integrity"), ("prf", "PRF"), ("group", "group")):
        if old and kind == "prf":
            # IKEv1 negotiates a hash, and the PRF follows from it (RFC 2409 4).
            continue
        values = tuple(dict.fromkeys(v for p in source for v in p.values(kind)))
        if values:
            title = "PFS group" if layer is Layer.CHILD and kind == "group" else name
            rows.append(
                Setting(
                    title,
                    " or ".join(values),
                    " or ".join(filter(None, (number_of(kind, v, layer, old=old) for v in values))),
                )
            )
    if layer is Layer.CHILD and source and not any(p.group for p in source):
        rows.append(Setting("PFS group", "none"))
    lifetime = min((p.lifetime_s for p in told[other.site] if p.lifetime_s), default=None)
    return (*rows, *_given(("lifetime", f"{lifetime} s" if lifetime else "")))


def number_of(kind: str, value: str, layer: Layer = Layer.IKE, *, old: bool = False) -> str:
    """`12, key length 256`, `20 (384-bit ECP)`: a value's number in the registries of IKEv2, or of IKEv1 (`old`): there the hash and the
    cipher of phase 1, and the transform and the authentication attribute of ESP, have numbers of their own (RFC 2409, RFC 2407)."""
    if kind == "group":
        name = iana.GROUPS.get(int(value)) if value.isdecimal() else None
        return f"{value} ({name})" if name else value
    table = _old_table(kind, layer) if old else _TABLES.get(kind, {})
    if old and kind == "integrity":
        value = _hash_name(value) if layer is Layer.IKE else value
    base, _, bits = value.rpartition("-")
    for number, name in table.items():
        if name == value:
            return str(number)
        if name == base and bits.isdecimal():
            return f"{number}, key length {bits}"
    return ""


def _old_table(kind: str, layer: Layer) -> Mapping[int, str]:
    if kind == "encryption":
        return iana.V1_ENCR if layer is Layer.IKE else iana.ENCR
    return iana.V1_HASH if layer is Layer.IKE else iana.V1_IPSEC_AUTH


def _hash_name(integrity: str) -> str:
    """`HMAC-SHA2-256-128` → `SHA2-256`: phase 1 of IKEv1 names the hash alone."""
    return integrity.removeprefix("HMAC-").rpartition("-")[0]


def _style(theirs: SheetTunnel) -> tuple[Setting, ...]:
    return _given(("encapsulation", f"{theirs.encapsulation or 'tunnel'} mode"))


def _path(end: End, other: End, near: tuple[str, ...], far: tuple[str, ...], theirs: SheetTunnel) -> tuple[str, ...]:
    """What has to be true besides the negotiation: exemption, routes, filters."""
    ours, remote = ", ".join(near) or "the own side", ", ".join(far) or "the far side"
    peer = theirs.local or other.address or other.title
    return (
        f"Exempt from translation, above any general rule: from {ours} to {remote}.",
        f"Route {remote} to the tunnel, or out of the interface where the tunnel's policy sits; the hosts behind {end.title} "
        "reach it via the gateway.",
        f"Allow in both directions, above any rule that blocks: {ours} and {remote}, with the services that are wanted.",
        f"Allow from and to {peer}: UDP 500, UDP 4500, and ESP (IP protocol 50).",
    )  # fmt: skip


def _tests(end: End, other: End, near: tuple[str, ...], far: tuple[str, ...]) -> tuple[str, ...]:
    ours, remote = (near or ("the own side",))[0], (far or ("the far side",))[0]
    return (
        f"Before the tunnel is there: ping from a host in {ours} to a host in {remote}. It has to fail, so that its success "
        "proves the tunnel.",
        f"Then the same again, and from {remote} to {ours}; a host's own address, not the network's.",
        "Send 20 packets each way and compare both gateways' counters: each must show 20 more.",
        f"Try a service that should be blocked between {end.title} and {other.title} as well.",
    )  # fmt: skip


def _open(picture: Picture, theirs: SheetTunnel, near: tuple[str, ...], far: tuple[str, ...]) -> tuple[str, ...]:
    """What could not be worked out, or what the two ends do not agree on yet."""
    out = []
    if not near or not far:
        out.append("The address ranges of both sides are not known yet.")
    for layer, name in ((Layer.IKE, "IKE SA"), (Layer.CHILD, "Child SA")):
        told = [known(picture, e, layer).value for e in picture.ends]
        if not any(told):
            out.append(f"No proposal for the {name} is known of either end.")
        elif all(told) and would_choose(told[0], told[1], picture.version or 2) is None:
            out.append(
                f"As they stand, the two ends share no proposal for the {name}: the values above are the other end's."
            )
    if not theirs.remote_id and not theirs.local_id:
        out.append("The identities are not known yet; both ends have to name the same ones.")
    return tuple(out)
