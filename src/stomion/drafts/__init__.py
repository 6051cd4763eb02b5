"""A gateway's own configuration text to a draft of its site sheet: shapes first (blocks, sections, indentation, lines), then the
trade's vocabulary. No make's syntax is built in, and nothing is guessed: what is not understood is listed with its line."""
