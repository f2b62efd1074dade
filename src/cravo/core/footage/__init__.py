"""Probing, decoding and encoding of clips; time and colour as the files state them."""
