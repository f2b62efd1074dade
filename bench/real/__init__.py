"""Films made of real pictures, of which it is known exactly what is seen where."""
