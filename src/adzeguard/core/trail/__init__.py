"""The trail: events that a directory has logged itself, and the answers drawn from them."""
