"""The demo designs as they are built."""
