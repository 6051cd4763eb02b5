"""Two sums over time in the dots of braille cells: a fill for what arrived, sparse dots above it for what left and did not arrive."""

from __future__ import annotations

from collections.abc import Sequence

from stomion.tui.spans import Line

_DOTS = ((0x01, 0x08), (0x02, 0x10), (0x04, 0x20), (0x40, 0x80))
"""Bits of a cell's dots, by row from the top and by column."""
ACROSS, DOWN = 2, 4


def chart(sent: Sequence[float | None], got: Sequence[float | None], most: float, height: int) -> list[Line]:
    """`height` lines of cells for values of two columns a cell; `most` is the value at the top. None draws nothing in that column."""
    columns = len(sent)
    rows = height * DOWN
    levels = [(_level(g, most, rows), _level(s, most, rows)) for s, g in zip(sent, got, strict=True)]
    lines: list[Line] = []
    for cell_row in range(height):
        line: Line = []
        for cell in range((columns + 1) // ACROSS):
            char, tone = _cell(levels[cell * ACROSS : cell * ACROSS + ACROSS], cell, cell_row, rows)
            if line and line[-1][1] == tone:
                line[-1] = (line[-1][0] + char, tone)
            else:
                line.append((char, tone))
        lines.append(line)
    return lines


def _level(value: float | None, most: float, rows: int) -> int:
    """Dots from the bottom; anything above nothing shows at least one."""
    if value is None or most <= 0:
        return 0
    return max(1 if value > 0 else 0, min(rows, round(value / most * rows)))


def _cell(levels: list[tuple[int, int]], cell: int, cell_row: int, rows: int) -> tuple[str, str]:
    bits, missing = 0, False
    for column, (fill, top) in enumerate(levels):
        for row in range(DOWN):
            height = rows - (cell_row * DOWN + row)
            # What is missing is drawn with every other dot, and its upper edge whole.
            if height <= fill or height == top or (height < top and (height + cell * ACROSS + column) % 2 == 0):
                bits |= _DOTS[row][column]
            missing |= fill < height <= top
    return chr(0x2800 + bits), "change" if missing else "proven"
