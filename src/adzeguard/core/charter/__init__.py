"""The charter: what should be. Model, names, scopes, and what they demand of each group and host."""
