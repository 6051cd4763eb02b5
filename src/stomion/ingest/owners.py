"""Whose addresses are whose, as sheets, model data and address tables tell it; and what is said twice."""

from __future__ import annotations

import ipaddress

from msgspec.structs import replace

from stomion.case.evidence import Evidence
from stomion.model.provenance import Problem


def note_address(evidence: Evidence, site: str, text: str, host: bool = False) -> None:
    """An address with its prefix length at a site; a host's tells of the network alone."""
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
                note_address(evidence, model.site, address)


def same_addresses(evidence: Evidence) -> None:
    """Two sheets that claim one public address: one of them is wrong, and which can't be told from here."""
    owners: dict[str, str] = {}
    for sheet in evidence.sheets:
        for address in dict.fromkeys(t.local for t in sheet.tunnel if t.local[:1].isalnum() and t.local != "any"):
            other = owners.setdefault(address, sheet.site)
            if other != sheet.site:
                file = evidence.sheet_lines[sheet.site]
                text = f"local = {address!r} is {other}'s as well; one of the two is wrong"
                evidence.problems.append(Problem(file, text))
