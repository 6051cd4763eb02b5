"""Sheets written: a new one from little, or a user's own with some values changed and all its comments kept."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

import msgspec
import tomlkit
from tomlkit.exceptions import TOMLKitError
from tomlkit.items import AoT, Table

from stomion.drafts.cited import cited
from stomion.drafts.draft import draft_of
from stomion.errors import UnreadableInput, UsageError
from stomion.ingest.files import open_input
from stomion.ingest.sheet import read_sheet
from stomion.ingest.yang import ike_data
from stomion.jobs.beside import beside, safe_name
from stomion.model.site import (
    SheetDpd,
    SheetFilter,
    SheetProposal,
    SheetRoute,
    SheetTranslation,
    SheetTunnel,
    SiteSheet,
)
from stomion.shapes.text import MAX_LINES
from stomion.vocabulary.clean import clean
from stomion.vocabulary.keydumps import without_key_dumps
from stomion.vocabulary.secrets import without_secrets
from stomion.writing import write_inside

MAX_SHEET = 16 << 20
MAX_CONFIGURATION = 4 << 20
"""Bytes of a gateway's configuration; what stands beyond is not read."""
_SCALARS = (
    "peer_site", "local", "peer", "ike", "mode", "initiate", "auth", "local_id", "remote_id", "key_mark", "style", "interface",
    "encapsulation", "nat_traversal", "role",
)  # fmt: skip
_LISTS = ("local_ts", "remote_ts")
_PROPOSALS = ("ike_proposal", "esp_proposal")


def with_tunnel(text: str, tunnel: SheetTunnel) -> str:
    """A sheet's text with one of its tunnels changed to `tunnel`, found by its name; only what differs is touched.

    Raises UsageError where the text is no sheet or has no such tunnel.
    """
    try:
        document = tomlkit.parse(text)
    except TOMLKitError as error:
        raise UsageError(f"the sheet can't be read: {error}") from error
    tables = document.get("tunnel")
    found = next((t for t in tables if t.get("name") == tunnel.name), None) if isinstance(tables, AoT) else None
    if found is None:
        raise UsageError(f"the sheet has no tunnel {tunnel.name!r}")
    _update(found, tunnel)
    # A key that stands in a sheet against all advice stays in that sheet alone.
    return "\n".join(map(without_secrets, tomlkit.dumps(document).split("\n")))


def _update(table: Table, tunnel: SheetTunnel) -> None:
    for key in _SCALARS:
        _set(table, key, getattr(tunnel, key))
    for key in _LISTS:
        _set(table, key, list(getattr(tunnel, key)))
    dpd = tunnel.dpd
    wanted = (
        {k: v for k, v in (("interval_s", dpd.interval_s), ("retries", dpd.retries)) if v is not None} if dpd else {}
    )
    if wanted != dict(table.get("dpd") or {}):
        _set(table, "dpd", _inline(wanted))
    for key in _PROPOSALS:
        _set_proposals(table, key, getattr(tunnel, key))


def _inline(values: dict[str, float | int]) -> object:
    if not values:
        return None
    out = tomlkit.inline_table()
    out.update({k: int(v) if float(v).is_integer() else v for k, v in values.items()})
    return out


def _set(table: Table, key: str, value: object) -> None:
    """Change a key where it differs; an empty value takes it away."""
    if value in (None, "", []):
        if key in table:
            del table[key]
    elif table.get(key) != value:
        table[key] = value


def _set_proposals(table: Table, key: str, proposals: tuple[SheetProposal, ...]) -> None:
    rows = table.get(key)
    if rows is None or len(rows) != len(proposals):
        if key in table:
            del table[key]
        rows = tomlkit.aot()
        for _ in proposals:
            rows.append(tomlkit.table())
        if proposals:
            table.append(key, rows)
    for row, proposal in zip(rows, proposals, strict=False):
        for kind in ("encryption", "integrity", "prf", "group"):
            _set(row, kind, list(getattr(proposal, kind)))
        _set(row, "lifetime_s", proposal.lifetime_s)


def save_tried(root: str, file: str, site: str, tunnel: SheetTunnel) -> Path:
    """Write a sheet with a tried-out tunnel beside what is derived from the case; the user's own file is not touched.

    `file` is the sheet's name in the case, empty where the site has none. Raises UsageError where that fails.
    """
    target = beside(root) / "sheets" / f"{safe_name(site)}.toml"
    try:
        before = target if target.exists() else Path(root) / file if file else None
        text = (
            before.read_bytes()[:MAX_SHEET].decode()
            if before is not None
            else new_sheet(SiteSheet(site, tunnel=(tunnel,)))
        )
    except (OSError, UnicodeDecodeError) as error:
        raise UsageError(f"{target}: the sheet it is made from can't be read") from error
    write_inside(Path(root), target, with_tunnel(text, tunnel).encode())
    return target


def new_sheet(sheet: SiteSheet) -> str:
    """A sheet as TOML, with remarks on what is left to fill in."""
    document = tomlkit.document()
    document.add(tomlkit.comment("What this gateway is meant to do. Every trade spelling of an algorithm is read."))
    document.add("site", tomlkit.item(sheet.site))
    document.add("translation_first", tomlkit.item(sheet.translation_first))
    interfaces = tomlkit.aot()
    for interface in sheet.interface:
        row = tomlkit.table()
        row["name"] = interface.name
        row["addresses"] = list(interface.addresses)
        _set(row, "zone", interface.zone)
        interfaces.append(row)
    if sheet.interface:
        document.add("interface", interfaces)
    tunnels = tomlkit.aot()
    for tunnel in sheet.tunnel:
        row = tomlkit.table()
        row["name"] = tunnel.name
        _update(row, tunnel)
        tunnels.append(row)
    if sheet.tunnel:
        document.add("tunnel", tunnels)
    for key, rows in (("route", sheet.route), ("translation", sheet.translation), ("filter", sheet.filter)):
        if rows:
            document.add(key, _rules(rows))
    return tomlkit.dumps(document)


def _rules(rows: Sequence[SheetRoute | SheetTranslation | SheetFilter]) -> AoT:
    """Routes, translations or filter rules; what is empty is left out."""
    out = tomlkit.aot()
    for row in rows:
        table = tomlkit.table()
        for key, value in msgspec.to_builtins(row).items():
            held = {k: v for k, v in value.items() if v} if isinstance(value, dict) else value
            if not held:
                continue
            inline = tomlkit.inline_table()
            if isinstance(held, dict):
                inline.update({k: list(v) if isinstance(v, tuple) else v for k, v in held.items()})
            table[key] = inline if isinstance(held, dict) else held
        out.append(table)
    return out


def drafted(file: Path) -> tuple[str, tuple[tuple[int, str], ...]]:
    """(a configuration's text as the draft of a sheet, lines of which nothing came into it with their first words). Raises UsageError
    where the file can't be read, or names no tunnel and no interface."""
    try:
        with open_input(file) as stream:
            text = stream.read(MAX_CONFIGURATION).decode("utf-8", "replace")
    except UnreadableInput as error:
        raise UsageError(f"{file}: {error.what}") from error
    except OSError as error:
        raise UsageError(f"{file}: {error.strerror or 'it cannot be read'}") from error
    draft = draft_of("\n".join(without_key_dumps(map(clean, text.split("\n")))))
    if not draft.sheet.tunnel and not draft.sheet.interface:
        raise UsageError(
            f"{file}: no tunnel and no interface was understood in it; a gateway's configuration as text expected"
        )
    # Whether translation comes before the tunnel is no matter of the text: it is left to the sheet's reader.
    whole = cited(new_sheet(draft.sheet), draft.things, draft.named)
    lines = [line for line in whole.split("\n") if not line.startswith("translation_first")]
    rest = ((MAX_LINES + 1, "everything from here on"),) if draft.cut else ()
    return "\n".join(map(without_secrets, lines)), (*draft.left, *rest)


def started_sheet(site: str, peer_site: str, local: str, peer: str, lan: str, far_lan: str, ike: int = 2) -> str:
    """A first sheet with one tunnel; proposals are those that current guidance asks for. Raises UsageError for a wrong value."""
    aead = ike == 2
    tunnel = SheetTunnel(
        f"{peer_site}-{site}", peer_site, local, peer, ike, mode="main" if ike == 1 else "", initiate="always", auth="psk",
        local_id=local, remote_id=peer, style="policy", local_ts=(lan,), remote_ts=(far_lan,), dpd=SheetDpd(10, 3),
        ike_proposal=(
            SheetProposal(("AES-GCM-16-256",), (), ("HMAC-SHA2-256",), (19, 14), 28_800) if aead
            else SheetProposal(("AES-CBC-256",), ("HMAC-SHA2-256-128",), (), (14,), 28_800),
        ),
        esp_proposal=(SheetProposal(("AES-GCM-16-256",), (), (), (19 if aead else 14,), 3_600),),
    )  # fmt: skip
    text = new_sheet(SiteSheet(site, tunnel=(tunnel,)))
    troubles = read_sheet(text).troubles
    if troubles:
        raise UsageError(troubles[0][1])
    return text


def _sheet_text(file: Path) -> str:
    try:
        return file.read_bytes()[:MAX_SHEET].decode()
    except (OSError, UnicodeDecodeError) as error:
        why = (
            "not UTF-8, which TOML is"
            if isinstance(error, UnicodeDecodeError)
            else error.strerror or "it can't be read"
        )
        raise UsageError(f"{file}: {why}") from error


def sheet_troubles(file: Path) -> list[tuple[int | None, str]]:
    """What is wrong in a sheet, with its lines. Raises UsageError where the file can't be read."""
    try:
        return read_sheet(_sheet_text(file)).troubles
    except UnreadableInput as error:
        return [(error.place, error.what + (f"; {error.expected} expected" if error.expected else ""))]


def as_yang(file: Path) -> tuple[str, tuple[str, ...]]:
    """(a sheet's tunnels as YANG data, the names of those that are left out as they use IKEv1, which RFC 9061 does not know).

    Raises UsageError where it is no sheet, or nothing is left."""
    try:
        sheet = read_sheet(_sheet_text(file)).sheet
    except UnreadableInput as error:
        raise UsageError(f"{file}: {error.what}") from error
    old = tuple(t.name for t in sheet.tunnel if t.ike == 1)
    if old and len(old) == len(sheet.tunnel):
        raise UsageError(f"{file}: every tunnel uses IKEv1, and this data model has IKEv2 alone (RFC 9061)")
    return json.dumps(ike_data(sheet), indent=2), old
