"""What lasts: documents, samples and work in PostgreSQL, media as files."""
