"""Text lines to typed events: time stamps, the trade's vocabulary, and the algorithms and addresses a line names."""
