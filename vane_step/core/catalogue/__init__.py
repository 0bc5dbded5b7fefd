"""The catalogue of parts: data in tables, the figures parts are told by, finding them; no land pattern is made here."""
