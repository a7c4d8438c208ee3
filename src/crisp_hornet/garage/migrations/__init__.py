"""How the garage's tables came about, step by step."""
