"""What goes over the wire, beyond the document itself."""
