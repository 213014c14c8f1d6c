"""Brings a bare Debian machine to the point where Reditus can run. Standard library only."""
