"""The trade's words, brought to one spelling: algorithms, addresses, times, clean text. Used by logs, sheets and screens alike."""
