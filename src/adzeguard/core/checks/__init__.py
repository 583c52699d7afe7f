"""The checks: plain functions from what is looked at to findings."""
