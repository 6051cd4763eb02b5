"""A what-if as a plain list of steps for each machine's engineer."""

from __future__ import annotations

from stomion.space.packetwords import packets_text
from stomion.tunnel.flows import flow_text
from stomion.tunnel.picture import Picture
from stomion.whatif.attempt import Try
from stomion.whatif.tables import Outcome


def steps_text(attempt: Try) -> str:
    """The steps alone, one a line, by machine."""
    return "\n".join(f"{c.site}: {c.words}" for c in attempt.changes)


def steps_page(picture: Picture, attempt: Try, found: Outcome) -> str:
    """Markdown: the steps of every machine in their order, and what they change."""
    lines = [f"# {picture.left.title} – {picture.right.title}: what to change", ""]
    for site in dict.fromkeys(c.site for c in attempt.changes):
        lines += [f"## At {site}", ""]
        mine = [c.words for c in attempt.changes if c.site == site]
        lines += [f"{n}. {_code(words)}" for n, words in enumerate(mine, 1)]
        lines.append("")
    lines += ["## What this changes, by the tables", ""]
    for d in found.differences:
        ends = picture.ends if d.from_left else picture.ends[::-1]
        lines.append(
            f"- {ends[0].title} to {ends[1].title}: {packets_text(d.region, 6)}: {d.before.value}, then {d.after.value}"
        )
    lines += ["- no packet is treated differently"] if not found.differences else []
    lines += [f"- fixed: {flow_text(f.test)}" for f in found.mended]
    lines += [f"- broken by it: {flow_text(f.test)}" for f in found.spoiled]
    lines += [f"- new fault: {_code(f.summary)}" for f in found.fresh]
    lines += [f"- remaining fault: {_code(f.summary)}" for f in found.left]
    lines += [f"- not judged, as a rule failed: {_code(text)}" for text in found.crashed]
    lines += [
        "",
        "Worked out from the tables as they were read; nothing was changed and nothing was tested after it.",
        "",
    ]
    return "\n".join(lines)


def _code(text: str) -> str:
    """Names out of the evidence stay text in Markdown."""
    return "".join(f"\\{c}" if c in "\\`*_<[]|" else c for c in text)
