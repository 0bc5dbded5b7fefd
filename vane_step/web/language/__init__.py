"""Texts of pages in the language of who reads them; sentences of findings are the core's and stay English."""
