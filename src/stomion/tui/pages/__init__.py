"""What each screen shows, as lines: pure functions of records and a width, testable without a terminal."""
