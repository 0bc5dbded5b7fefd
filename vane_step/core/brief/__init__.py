"""The brief: what is wanted, how each wish is shown, and the limits that bind other steps; no step's own rules."""
