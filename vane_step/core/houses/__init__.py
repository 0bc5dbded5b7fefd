"""Houses that make boards: what they are asked, quotes compared, options explained, orders kept; none is asked here."""
