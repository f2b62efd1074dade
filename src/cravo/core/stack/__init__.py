"""From a document to pictures: what is seen is what is written."""
