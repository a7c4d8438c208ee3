"""Send: difference, cautions, progress, proof."""
