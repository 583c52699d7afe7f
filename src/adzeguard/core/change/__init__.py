"""Changes: the plan, its impact, and the guards it must pass."""
