"""Paper for drawings: sheets, inks and letters that all of them share. No other package draws.

matplotlib is loaded by this package only, by its Figure alone (never pyplot), and only when a drawing is asked for.
"""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

from matplotlib.figure import Figure

from stomion.writing import write_file

A4_LANDSCAPE, A4_PORTRAIT = (11.69, 8.27), (8.27, 11.69)
INK = {
    "plain": "#1b262c",
    "muted": "#5a6872",
    "faint": "#a3adb3",
    "proven": "#17776a",
    "change": "#c02a18",
    "doubt": "#8a5f00",
    "source": "#6447b0",
}
FORMATS = (".svg", ".pdf")
SETTINGS: Any = {
    "svg.fonttype": "none",
    "svg.hashsalt": "stomion",
    "pdf.fonttype": 42,
    "font.family": "DejaVu Sans",
    "font.size": 9,
}


def sheet(figure: Figure, width: float, height: float) -> Any:
    """The whole page as one area in units of our own, without axes."""
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_xlim(0, width)
    axes.set_ylim(0, height)
    axes.axis("off")
    return axes


def write(
    axes: Any,
    x: float,
    y: float,
    text: str,
    *,
    size: float = 9,
    ink: str = "plain",
    weight: str = "normal",
    **more: Any,
) -> None:
    """Letters at a place, in one of the inks."""
    # A dollar sign would begin a formula.
    axes.text(x, y, text.replace("$", r"\$"), fontsize=size, color=INK[ink], fontweight=weight, **more)


def save(figure: Figure, path: Path) -> None:
    """Write it in the format of the file's name, without a date: the same drawing is the same file."""
    metadata = (
        {"Date": None} if path.suffix == ".svg" else {"CreationDate": None, "Producer": None, "Creator": "Stomion"}
    )
    drawn = io.BytesIO()
    figure.savefig(drawn, format=path.suffix[1:], metadata=metadata)
    write_file(path, drawn.getvalue())
