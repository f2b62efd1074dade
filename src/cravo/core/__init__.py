"""The work itself, on arrays: no HTTP, no SQL, no screen, no job queue."""
