"""Drawings and documents as files: SVG, PDF, HTML, Markdown. Only data from views comes in; nothing is worked out here."""
