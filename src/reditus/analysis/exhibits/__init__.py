"""Exhibits: what is on screen, read again and frozen with its numbers (exchange.bundle.contents)."""
