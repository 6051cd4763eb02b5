"""Colours by meaning, for a dark and a light ground. Every meaning also has a shape or a word: colour never stands alone."""

from __future__ import annotations

from textual.theme import Theme

DARK = {
    "ground": "#0c1318",
    "raised": "#121c22",
    "chosen": "#1f323b",
    "plain": "#d3dade",
    "strong": "#f2f5f6",
    "muted": "#8496a1",
    "faint": "#566671",
    "proven": "#63b3a4",
    "change": "#ff7a63",
    "doubt": "#e3b04b",
    "source": "#b5a1e0",
}
LIGHT = {
    "ground": "#f7f5f0",
    "raised": "#edeae2",
    "chosen": "#d5e3e3",
    "plain": "#26323a",
    "strong": "#0b1318",
    "muted": "#5a6872",
    "faint": "#98a2a8",
    "proven": "#177466",
    "change": "#bf2b17",
    "doubt": "#8a5f00",
    "source": "#6747b4",
}
THEMES = {"reef-night": DARK, "reef-day": LIGHT}


def themes() -> list[Theme]:
    """Both as Textual themes, so that its own parts (palette, scroll bars) go along."""
    return [
        Theme(
            name=name,
            primary=colours["proven"],
            secondary=colours["source"],
            accent=colours["source"],
            warning=colours["doubt"],
            error=colours["change"],
            success=colours["proven"],
            foreground=colours["plain"],
            background=colours["ground"],
            surface=colours["ground"],
            panel=colours["raised"],
            dark=name == "reef-night",
            variables={
                "block-cursor-background": colours["chosen"],
                "block-cursor-foreground": colours["strong"],
                "scrollbar": colours["faint"],
                "scrollbar-background": colours["ground"],
                "scrollbar-hover": colours["muted"],
                "scrollbar-active": colours["proven"],
                "scrollbar-background-hover": colours["ground"],
                "scrollbar-background-active": colours["ground"],
                "scrollbar-corner-color": colours["ground"],
            },
        )
        for name, colours in THEMES.items()
    ]
