"""Files for the board house and their read-back; nothing here changes a design."""
