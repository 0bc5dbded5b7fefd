"""Files for the board manufacturer and their read-back; nothing here changes a design."""
