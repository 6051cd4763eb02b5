"""State output of any make, as pasted: tables, paragraphs, lines of keys and values; to SA pairs in one vocabulary."""
