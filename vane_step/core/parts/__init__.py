"""Packages and land patterns; knows nothing of where parts are placed."""
