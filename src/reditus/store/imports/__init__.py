"""Files on their way into archives, and where they are."""
