"""The normal: what is usual for this hour of this weekday, learnt from a host's past, and what departs from it."""
