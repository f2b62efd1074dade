"""Points, transforms and the way from source pixels to view pixels and back."""
