"""The rules a board is held against: one kind of rule a module, all listed in ``check``."""
