"""What people and machines declare: sheets, the case file, YANG data, the system's tables; into Evidence."""

from __future__ import annotations

import ipaddress
import json
import re
import tomllib
from typing import Any

from msgspec.structs import replace

from stomion.case.evidence import Evidence
from stomion.errors import UnreadableInput
from stomion.ingest.item import Item, read_whole
from stomion.ingest.ostables import read_table
from stomion.ingest.sheet import line_map
from stomion.ingest.sheet import read_sheet as parse_sheet
from stomion.model.provenance import Problem
from stomion.model.tables import Tables


def _toml(item: Item) -> dict[str, Any]:
    try:
        return tomllib.loads(read_whole(item).decode("utf-8"))
    except UnicodeDecodeError as error:
        raise UnreadableInput("not UTF-8, which TOML is") from error
    except tomllib.TOMLDecodeError as error:
        line = re.search(r"line (\d+)", str(error))
        raise UnreadableInput(f"no TOML: {error}", place=int(line[1]) if line else None) from error
    except RecursionError as error:
        raise UnreadableInput("nested too deeply") from error


def read_sheet(item: Item, evidence: Evidence) -> None:
    """A site sheet; what is wrong in it becomes a line each."""
    try:
        text = read_whole(item).decode("utf-8")
    except UnicodeDecodeError as error:
        raise UnreadableInput("not UTF-8, which TOML is") from error
    reading = parse_sheet(text)
    sheet = reading.sheet
    evidence.problems.extend(Problem(item.name, text, line) for line, text in reading.troubles)
    if sheet.site in evidence.sheet_lines:
        earlier = evidence.sheet_lines[sheet.site]
        evidence.problems.append(
            Problem(item.name, f"site {sheet.site!r} has a sheet already ({earlier}); this one is not used")
        )
        return
    evidence.sheets.append(sheet)
    evidence.sheet_lines[sheet.site] = item.name
    for interface in sheet.interface:
        for address in interface.addresses:
            _note_address(evidence, sheet.site, address)


def read_case_sheet(item: Item, evidence: Evidence) -> None:
    """case.toml: title, tunnels with their ends, expected flows."""
    data = _toml(item)
    title = data.get("title")
    if isinstance(title, str):
        evidence.title = title[:200]
    tunnels = data.get("tunnel", [])
    for tunnel in tunnels if isinstance(tunnels, list) else []:
        ends = tunnel.get("ends") if isinstance(tunnel, dict) else None
        if isinstance(ends, list) and len(ends) == 2 and all(isinstance(e, str) for e in ends):
            evidence.declared.append((str(tunnel.get("name", "-".join(ends))), (ends[0], ends[1])))
    _read_expected(data, item, evidence)


def _read_expected(data: dict[str, Any], item: Item, evidence: Evidence) -> None:
    """`[[expect]]`: who is to reach whom, and what is to be blocked."""
    lines = line_map(read_whole(item).decode("utf-8", "replace"))
    rows = data.get("expect", [])
    for index, row in enumerate(rows if isinstance(rows, list) else []):
        line = lines.get(f"expect.{index}", 0)
        values = [row.get(k) if isinstance(row, dict) else None for k in ("from", "to", "service", "outcome")]
        if not all(isinstance(v, str) for v in values) or values[3] not in ("reach", "blocked"):
            text = 'an [[expect]] needs from, to, service, and outcome = "reach" or "blocked"'
            evidence.problems.append(Problem(item.name, text, line or None))
            continue
        evidence.expects.append((str(values[0]), str(values[1]), str(values[2]), str(values[3]), line))


def read_system_table(item: Item, kind: str, evidence: Evidence) -> None:
    """A table of the operating system to the tables of its gateway or host."""
    if not item.site or kind in ("model data", "IPsec states"):
        return
    tables = evidence.tables.setdefault((item.site, item.host or ""), Tables(item.site, item.host or ""))
    known = len(tables.doubts)
    read_table(kind, read_whole(item), item.name, tables)
    for doubt in tables.doubts[known:]:
        evidence.problems.append(Problem(item.name, doubt.removeprefix(f"{item.name}: ")))


def read_addresses(item: Item, evidence: Evidence) -> None:
    """`ip -j addr`: the addresses a site has, and the networks behind it where they are a host's."""
    try:
        table = json.loads(read_whole(item))
    except (ValueError, RecursionError) as error:
        raise UnreadableInput("damaged JSON of an address table") from error
    for link in table if isinstance(table, list) else []:
        rows = link.get("addr_info") if isinstance(link, dict) else None
        for info in rows if isinstance(rows, list) else []:
            if isinstance(info, dict) and info.get("scope") == "global" and item.site:
                _note_address(evidence, item.site, f"{info.get('local')}/{info.get('prefixlen')}", host=bool(item.host))


def _note_address(evidence: Evidence, site: str, text: str, host: bool = False) -> None:
    try:
        interface = ipaddress.ip_interface(text)
    except ValueError:
        return
    if not host:
        evidence.addresses.setdefault(site, set()).add(str(interface.ip))
    evidence.networks.setdefault(site, set()).add(str(interface.network))


def join_models(evidence: Evidence) -> None:
    """What YANG data declares of a site fills what its sheet leaves open; without a sheet it stands for one."""
    for file, model in evidence.models:
        index = next((i for i, s in enumerate(evidence.sheets) if s.site == model.site), None)
        if index is None:
            evidence.sheets.append(model)
            evidence.sheet_lines[model.site] = file
        else:
            sheet = evidence.sheets[index]
            parts = ("interface", "tunnel", "route", "translation", "filter")
            fills = {name: getattr(sheet, name) or getattr(model, name) for name in parts}
            evidence.sheets[index] = replace(sheet, **fills)
        for interface in model.interface:
            for address in interface.addresses:
                _note_address(evidence, model.site, address)


def same_addresses(evidence: Evidence) -> None:
    """Two sheets that claim one public address: one of them is wrong, and which can't be told from here."""
    owners: dict[str, str] = {}
    for sheet in evidence.sheets:
        for address in dict.fromkeys(t.local for t in sheet.tunnel if t.local[:1].isalnum() and t.local != "any"):
            other = owners.setdefault(address, sheet.site)
            if other != sheet.site:
                file = evidence.sheet_lines[sheet.site]
                evidence.problems.append(
                    Problem(file, f"local = {address!r} is {other}'s as well; one of the two is wrong")
                )
