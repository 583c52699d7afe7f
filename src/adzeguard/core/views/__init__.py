"""What people are shown, as plain values: tables with typed columns, facts, lines. Renderers make bytes of them."""
