"""What a server bears: being killed while it is edited, and an hour of mixed use; spoiled files are elsewhere."""
