"""Changes: the proposal, its impact, and the guards it must pass."""
