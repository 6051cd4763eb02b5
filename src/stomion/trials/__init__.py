"""Tests that people ran by hand and copied: what was asked, how often, how much was answered, and what was told instead.

A text is gone through line by line (reader.py): commands and headings open a trial, lines of single probes, marks and totals fill it, and
outcomes of connections make one of their own. Words are those of the trade in several languages (words.py); no program's output is known
by heart.
"""
