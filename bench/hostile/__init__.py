"""Mutants of the files a user brings, given to a running server and to the terminal; nothing of the program is here."""
