"""Designs kept in SQLite with their edit journal; no rules of the job."""
