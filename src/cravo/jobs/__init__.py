"""What takes longer than a moment: one task a file, run by workers on any machine."""
