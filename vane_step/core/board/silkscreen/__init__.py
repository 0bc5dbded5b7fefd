"""What is printed on a board: references, texts, shapes."""
