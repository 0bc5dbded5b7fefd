"""What is run by hand at development time."""
