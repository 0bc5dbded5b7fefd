"""The pages and their JSON; no rules of the job."""
