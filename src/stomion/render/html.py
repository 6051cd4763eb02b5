"""A document as one HTML page that needs nothing from elsewhere: no script, no font, no picture from outside."""

from __future__ import annotations

from html import escape

from stomion.render.document import Document, Section

_STYLE = """
body { font: 15px/1.5 system-ui, sans-serif; color: #1b262c; background: #fbfaf7; max-width: 52rem; margin: 3rem auto; padding: 0 1.2rem }
h1 { font-size: 1.5rem } h2 { font-size: 1.1rem; margin-top: 2rem; color: #17776a }
table { border-collapse: collapse; width: 100% } th { text-align: left; font-weight: 600; color: #5a6872 }
td, th { padding: .3rem 1rem .3rem 0; border-bottom: 1px solid #e3dfd5; vertical-align: top; overflow-wrap: anywhere }
"""


def render(document: Document) -> bytes:
    """The whole page, UTF-8."""
    body = [f"<h1>{escape(document.title)}</h1>", *(f"<p>{escape(text)}</p>" for text in document.lead)]
    for section in document.sections:
        body.append(f"<h2>{escape(section.title)}</h2>")
        body.append(_table(section) if section.rows else "")
        body.extend(f"<p>{escape(note)}</p>" for note in section.notes)
    head = f'<meta charset="utf-8"><title>{escape(document.title)}</title><style>{_STYLE}</style>'
    return f'<!doctype html><html lang="en"><head>{head}</head><body>{"".join(body)}</body></html>\n'.encode()


def _table(section: Section) -> str:
    head = "".join(f"<th>{escape(c)}</th>" for c in section.head)
    rows = "".join("<tr>" + "".join(f"<td>{escape(c)}</td>" for c in row) + "</tr>" for row in section.rows)
    return f"<table><tr>{head}</tr>{rows}</table>"
