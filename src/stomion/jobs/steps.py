"""A what-if as a plain list of steps for each machine's engineer, written beside the case."""

from __future__ import annotations

from pathlib import Path

from stomion.errors import UsageError
from stomion.jobs.beside import beside, safe_name
from stomion.space.packetwords import packets_text
from stomion.tunnel.flows import flow_text
from stomion.tunnel.picture import Picture
from stomion.whatif.tables import Outcome, Try


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
    lines += ["- no packet's fate"] if not found.differences else []
    lines += [f"- mended: {flow_text(f.test)}" for f in found.mended]
    lines += [f"- spoiled: {flow_text(f.test)}" for f in found.spoiled]
    lines += [f"- fault that is left: {_code(f.summary)}" for f in (*found.fresh, *found.left)]
    lines += [
        "",
        "Worked out from the tables as they were read; nothing was changed and nothing was tested after it.",
        "",
    ]
    return "\n".join(lines)


def _code(text: str) -> str:
    """Names out of the evidence stay text in Markdown."""
    return "".join(f"\\{c}" if c in "\\`*_<[]|" else c for c in text)


def write_steps(root: str, picture: Picture, attempt: Try, found: Outcome) -> Path:
    """Write the page into the case's own folder for derived things. Raises UsageError where there are no steps or it can't be written."""
    if not attempt.changes:
        raise UsageError("Nothing was changed here, so there are no steps.")
    target = beside(root) / f"{safe_name(f'{picture.name}-steps-{attempt.letter}')}.md"
    try:
        target.parent.mkdir(exist_ok=True)
        target.write_text(steps_page(picture, attempt, found), encoding="utf-8")
    except OSError as error:
        raise UsageError(f"{target}: {error.strerror or 'it cannot be written'}") from error
    return target
