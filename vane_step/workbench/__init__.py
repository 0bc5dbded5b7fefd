"""What is done at the bench and kept on the shelf, for pages and terminal alike; no page and no command is here."""
