"""The job itself: pure Python without web, database, clock or files."""
