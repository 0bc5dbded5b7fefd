"""Files for a board by whomever they were made: what each is, what they show, how they hold against makers."""
