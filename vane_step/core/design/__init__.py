"""The document: models, edits and formats; knows no other room."""
