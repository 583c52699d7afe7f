"""Ways in which somebody is told: each is a driver of its own, behind one port."""
