"""IETF YANG data in JSON (RFC 7951) to a site sheet's parts, and the tunnel part of a sheet back.

Read: ietf-interfaces with ietf-ip (RFC 8343, 8344), ietf-routing (RFC 8349), ietf-access-control-list (RFC 8519), ietf-nat
(RFC 8512), ietf-i2nsf-ike (RFC 9061). What these models say beyond a sheet's vocabulary is left aside.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from stomion.errors import UnreadableInput
from stomion.ingest.gate import json_value
from stomion.ingest.item import Item, read_whole
from stomion.ingest.reading import Kind, Reading
from stomion.ingest.stoppable import look
from stomion.ingest.yangsad import sad_states
from stomion.model.proposal import Proposal
from stomion.model.site import (
    SheetDpd,
    SheetFilter,
    SheetInterface,
    SheetMatch,
    SheetProposal,
    SheetRoute,
    SheetTranslation,
    SheetTunnel,
    SiteSheet,
)
from stomion.space.services import PROTOCOL_NAMES
from stomion.wire import registries as iana
from stomion.wire.ike.numbers import IKEV1

IKE_MODEL = "ietf-i2nsf-ike:ipsec-ike"


def read_model_data(text: str | bytes, site: str) -> SiteSheet:
    """The parts of a sheet that a document holds. Raises UnreadableInput where it is no such document."""
    data = json_value(text.encode() if isinstance(text, str) else text, "model data")
    if not isinstance(data, dict):
        raise UnreadableInput("model data that is no object")
    return SiteSheet(
        site,
        interface=tuple(_interfaces(data)),
        tunnel=tuple(_tunnels(data)),
        route=tuple(_routes(data)),
        translation=tuple(_translations(data)),
        filter=tuple(_filters(data)),
    )


def _under(data: Any, *names: str) -> list[dict[str, Any]]:
    """The objects at a path of names, lists gone through; the names may carry their module before a colon or not."""
    found: list[Any] = [data]
    look()
    for name in names:
        following: list[Any] = []
        for item in found:
            if isinstance(item, dict):
                value = next((v for k, v in item.items() if k.rpartition(":")[2] == name), None)
                following.extend(value if isinstance(value, list) else [value])
        found = following
    return [item for item in found if isinstance(item, dict)]


def _text(item: dict[str, Any], *names: str) -> str:
    """The first of these leaves that is there, as text."""
    for name in names:
        for key, value in item.items():
            if key.rpartition(":")[2] == name and isinstance(value, str | int) and not isinstance(value, bool):
                # A number of thousands of digits is none; no leaf that is read here is longer.
                return str(value)[:MOST_TEXT] if isinstance(value, str) or abs(value) < MOST_NUMBER else ""
    return ""


MOST_TEXT, MOST_NUMBER = 255, 2**64


def _number(text: str) -> int:
    """A number of ours; 0 for what is none."""
    return int(text) if text.isascii() and text.isdecimal() and len(text) < len(str(MOST_NUMBER)) else 0


def _interfaces(data: Any) -> Iterator[SheetInterface]:
    for item in _under(data, "interfaces", "interface"):
        addresses = []
        for family in ("ipv4", "ipv6"):
            for address in _under(item, family, "address"):
                length = _text(address, "prefix-length") or _length(_text(address, "netmask"))
                if _text(address, "ip"):
                    addresses.append(f"{_text(address, 'ip')}/{length or (32 if family == 'ipv4' else 128)}")
        yield SheetInterface(_text(item, "name"), tuple(addresses))


def _length(mask: str) -> str:
    parts = mask.split(".")
    if len(parts) != 4 or not all(p.isdecimal() and int(p) < 256 for p in parts):
        return ""
    return str(sum(bin(int(p)).count("1") for p in parts))


def _routes(data: Any) -> Iterator[SheetRoute]:
    for protocol in _under(data, "routing", "control-plane-protocols", "control-plane-protocol"):
        for family in ("ipv4", "ipv6"):
            for route in _under(protocol, "static-routes", family, "route"):
                hop = next(iter(_under(route, "next-hop")), {})
                hole = _text(hop, "special-next-hop") in ("blackhole", "unreachable", "prohibit")
                destination = _text(route, "destination-prefix")
                via, out = _text(hop, "next-hop-address"), _text(hop, "outgoing-interface")
                if destination:
                    yield SheetRoute(
                        destination, via, out, _number(_text(route, "preference")), "blackhole" if hole else ""
                    )


def _filters(data: Any) -> Iterator[SheetFilter]:
    for acl in _under(data, "acls", "acl"):
        for ace in _under(acl, "aces", "ace"):
            match = next(iter(_under(ace, "matches")), {})
            action = next(iter(_under(ace, "actions")), {})
            word = _text(action, "forwarding").rpartition(":")[2]
            yield SheetFilter(
                {"accept": "allow", "reject": "reject"}.get(word, "drop"), _acl_match(match), _text(ace, "name")
            )


def _acl_match(match: dict[str, Any]) -> SheetMatch:
    source = destination = protocol = ""
    for family in ("ipv4", "ipv6"):
        for part in _under(match, family):
            source = source or _text(part, "source-ipv4-network", "source-ipv6-network")
            destination = destination or _text(part, "destination-ipv4-network", "destination-ipv6-network")
            protocol = protocol or _text(part, "protocol")
    service: tuple[str, ...] = (PROTOCOL_NAMES.get(_number(protocol), protocol),) if protocol.isdecimal() else ()
    for name in ("tcp", "udp"):
        for part in _under(match, name):
            ports = next(iter(_under(part, "destination-port")), {})
            low, high = _text(ports, "port", "lower-port"), _text(ports, "upper-port")
            service = (f"{name}/{low}" + (f"-{high}" if high else ""),) if low else (name,)
    return SheetMatch(
        in_interface=_text(match, "ingress-interface"), out_interface=_text(match, "egress-interface"),
        source=source or (), destination=destination or (), service=service,
    )  # fmt: skip


def _translations(data: Any) -> Iterator[SheetTranslation]:
    for policy in _under(data, "nat", "instances", "instance", "policy"):
        for prefix in _under(policy, "external-ip-address-pool"):
            outside = _text(prefix, "external-ip-pool")
            yield SheetTranslation({"source_to": outside} if outside else "masquerade", SheetMatch())
    for entry in _under(data, "nat", "instances", "instance", "mapping-table", "mapping-entry"):
        inside, outside = _text(entry, "internal-src-address"), _text(entry, "external-src-address")
        if inside and outside:
            yield SheetTranslation(
                {"source_to": outside.partition("/")[0]}, SheetMatch(source=inside), _text(entry, "index")
            )


def _tunnels(data: Any) -> Iterator[SheetTunnel]:
    for entry in _under(data, "ipsec-ike", "conn-entry"):
        near, far = (next(iter(_under(entry, name)), {}) for name in ("local", "remote"))
        yield SheetTunnel(
            _text(entry, "name"),
            local=_address(entry, "local"),
            peer=_address(entry, "remote"),
            ike=2 if "2" in _text(entry, "version") or not _text(entry, "version") else 1,
            local_id=_text(near, "local-pad-entry-name"),
            remote_id=_text(far, "remote-pad-entry-name"),
            initiate={"add": "never", "on-demand": "on-traffic", "start": "always"}.get(
                _text(entry, "autostartup"), ""
            ),
            local_ts=_prefixes(entry, "local-prefix"),
            remote_ts=_prefixes(entry, "remote-prefix"),
            dpd=_dpd(entry),
            ike_proposal=tuple(_ike_proposal(entry)),
            esp_proposal=tuple(_esp_proposal(entry)),
        )


def _address(entry: dict[str, Any], side: str) -> str:
    for part in _under(entry, "tunnel", side) or _under(entry, side):
        found = _text(part, "ipv4-address", "ipv6-address", "address")
        if found:
            return found
    return next(
        (_text(t, side) for p in _spd(entry) for t in _under(p, "ipsec-sa-cfg", "tunnel") if _text(t, side)), ""
    )


def _spd(entry: dict[str, Any]) -> list[dict[str, Any]]:
    return _under(entry, "spd", "spd-entry", "ipsec-policy-config", "processing-info")


def _prefixes(entry: dict[str, Any], name: str) -> tuple[str, ...]:
    rows = _under(entry, "spd", "spd-entry", "ipsec-policy-config", "traffic-selector")
    return tuple(dict.fromkeys(t for row in rows if (t := _text(row, name))))


def _dpd(entry: dict[str, Any]) -> SheetDpd | None:
    seconds = _text(next(iter(_under(entry, "dpd")), {}), "interval") or _text(entry, "dpd-interval")
    return SheetDpd(float(_number(seconds))) if _number(seconds) else None


def _numbers(item: dict[str, Any], name: str) -> list[int]:
    for key, value in item.items():
        if key.rpartition(":")[2] == name:
            values = value if isinstance(value, list) else [value]
            return [_number(str(v)) for v in values if isinstance(v, int | str) and _number(str(v)[:MOST_TEXT])]
    return []


def _ciphers(item: dict[str, Any], name: str) -> tuple[str, ...]:
    found = []
    for row in _under(item, name):
        number, bits = _text(row, "algorithm-type"), _text(row, "key-length")
        known = iana.ENCR.get(_number(number)) if number.isdecimal() else None
        if known:
            found.append(
                f"{known}-{bits}"
                if bits not in ("", "0") and known not in ("3DES", "DES", "CHACHA20-POLY1305")
                else known
            )
    return tuple(found)


def _named(item: dict[str, Any], name: str, table: dict[int, str]) -> tuple[str, ...]:
    return tuple(table[n] for n in _numbers(item, name) if n in table and table[n] != "NONE")


def _life(item: dict[str, Any], name: str) -> int | None:
    seconds = next((t for part in _under(item, name) if (t := _text(part, "rekey-time", "time"))), "")
    return _number(seconds) or None


def _ike_proposal(entry: dict[str, Any]) -> Iterator[SheetProposal]:
    ciphers = _ciphers(entry, "ike-sa-encr-alg") or _ciphers(entry, "encr-alg")
    integrity = _named(entry, "ike-sa-intr-alg", iana.INTEG)
    groups = tuple(_numbers(entry, "dh-group"))
    if ciphers or integrity or groups:
        yield SheetProposal(ciphers, integrity, (), groups, _life(entry, "ike-sa-lifetime-soft"))


def _esp_proposal(entry: dict[str, Any]) -> Iterator[SheetProposal]:
    children = _under(entry, "child-sa-info")
    life = next((found for c in (entry, *children) if (found := _life(c, "child-sa-lifetime-soft"))), None)
    groups = tuple(n for c in children for n in _numbers(c, "fs-group") or _numbers(c, "pfs-groups"))
    for info in _spd(entry):
        for algorithms in _under(info, "ipsec-sa-cfg", "esp-algorithms"):
            ciphers, integrity = _ciphers(algorithms, "encryption"), _named(algorithms, "integrity", iana.INTEG)
            if ciphers or integrity:
                yield SheetProposal(ciphers, integrity, (), groups, life)
                return


def ike_data(sheet: SiteSheet) -> dict[str, Any]:
    """A sheet's tunnels as ietf-i2nsf-ike data (RFC 9061 appendix A). Keys are no part of it; the model has no IKEv1."""
    return {IKE_MODEL: {"conn-entry": [_entry(tunnel) for tunnel in sheet.tunnel if tunnel.ike != IKEV1]}}


def _entry(tunnel: SheetTunnel) -> dict[str, Any]:
    from stomion.vocabulary.algorithms import model_proposal

    ike = [model_proposal(p, "IKE") for p in tunnel.ike_proposal[:1]]
    esp = [model_proposal(p, "ESP") for p in tunnel.esp_proposal[:1]]
    selector = [
        {
            "name": f"{tunnel.name}-{index}",
            "ipsec-policy-config": {
                "traffic-selector": {"local-prefix": near, "remote-prefix": far},
                "processing-info": {
                    "action": "protect",
                    "ipsec-sa-cfg": {
                        "ext-seq-num": False,
                        "mode": tunnel.encapsulation or "tunnel",
                        "protocol-parameters": "esp",
                        "esp-algorithms": _esp_data(esp),
                        "tunnel": {"local": tunnel.local, "remote": tunnel.peer},
                    },
                },
            },
        }
        for index, (near, far) in enumerate((n, f) for n in tunnel.local_ts for f in tunnel.remote_ts)
    ]
    start = {"always": "start", "on-traffic": "on-demand", "never": "add"}.get(tunnel.initiate, "add")
    entry: dict[str, Any] = {"name": tunnel.name, "autostartup": start, "version": "ikev2"}
    entry |= _ike_data(ike)
    entry["local"] = {"local-pad-entry-name": tunnel.local_id or tunnel.local}
    entry["remote"] = {"remote-pad-entry-name": tunnel.remote_id or tunnel.peer}
    entry["spd"] = {"spd-entry": selector}
    child: dict[str, Any] = {"fs-group": [_number(g) for p in esp for g in p.group if _number(g)]}
    lifetime = next((p.lifetime_s for p in tunnel.esp_proposal if p.lifetime_s), None)
    if lifetime:
        child["child-sa-lifetime-soft"] = {"time": lifetime}
    entry["child-sa-info"] = child
    return entry


def _ike_data(proposals: list[Proposal]) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for p in proposals:
        out["ike-sa-intr-alg"] = [n for v in p.integrity for n, name in iana.INTEG.items() if name == v]
        out["ike-sa-encr-alg"] = _cipher_data(p)
        out["dh-group"] = [_number(g) for g in p.group if _number(g)]
        if p.lifetime_s:
            out["ike-sa-lifetime-soft"] = {"rekey-time": p.lifetime_s}
    return out


def _esp_data(proposals: list[Proposal]) -> dict[str, Any]:
    if not proposals:
        return {}
    return {
        "integrity": [n for v in proposals[0].integrity for n, name in iana.INTEG.items() if name == v],
        "encryption": _cipher_data(proposals[0]),
    }


def _cipher_data(p: Proposal) -> list[dict[str, Any]]:
    rows = []
    for index, value in enumerate(p.encryption, 1):
        base, _, bits = value.rpartition("-")
        for number, name in iana.ENCR.items():
            if name == value or (name == base and bits.isdecimal()):
                rows.append({"id": index, "algorithm-type": number, "key-length": int(bits) if name == base else 0})
    return rows


def _fits(_item: Item, head: bytes) -> bool:
    start = head.lstrip(b"\xef\xbb\xbf \r\n\t")
    return start[:1] in (b"{", b"[") and b'"ietf-' in start[:400]


def _read(reading: Reading) -> None:
    reading.source(MODEL_DATA.name)
    item = reading.item
    if not item.site:
        return
    whole = read_whole(item)
    reading.evidence.models.append((item.name, read_model_data(whole, item.site)))
    if b"sad-entry" in whole:
        reading.evidence.states.extend(sad_states(json_value(whole, "model data"), item.name, item.site))


MODEL_DATA = Kind("model data", _fits, _read)
