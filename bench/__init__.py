"""Benchmarks: python -m bench [PART…] prints a table and writes bench/results/latest.json."""
