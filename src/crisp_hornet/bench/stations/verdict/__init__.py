"""Verdict: what was measured, laid over what was predicted."""
