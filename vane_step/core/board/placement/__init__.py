"""Where parts go: arranging, lining up, exchanging equal channels, pins that are nearer."""
