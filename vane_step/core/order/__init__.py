"""What has to be bought: parts lists, prices, stock, and what a bare board costs; no supplier is asked here."""
