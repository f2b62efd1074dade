"""Finding people, faces, lettering and sky: model files, the runtimes that run them, what they find."""
