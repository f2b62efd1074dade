"""Who is who in a film: faces described by numbers, grouped over all its shots, and what is done with whom."""
