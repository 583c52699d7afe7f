"""What is stale: a kind of it is a file here, and a row in the table of `kinds`."""
