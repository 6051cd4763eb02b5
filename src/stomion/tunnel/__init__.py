"""One tunnel as all evidence shows it: both ends joined, what each is set to, its flows. Nothing is judged here."""
