"""Security descriptors, the duties made of their entries, and what they let whom do."""
