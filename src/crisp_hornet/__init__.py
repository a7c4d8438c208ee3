"""Crisp Hornet: predict, write, take back and prove the tune of a high-power e-bike."""

__version__ = "0.1.0"
