"""Numbers from elsewhere: recognised, mapped to counters, and made into archive files that are then stored."""
