"""What ships with the program: maker rules and demo designs."""
