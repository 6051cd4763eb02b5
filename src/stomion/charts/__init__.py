"""Drawings as data, the same for the screen and for paper, and the one module that turns them into SVG and PDF."""
