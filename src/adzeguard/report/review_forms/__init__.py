"""Forms in which a review is handed out and comes back: each is a file here, and a row in the table of `forms`."""
