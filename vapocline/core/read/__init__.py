"""Reading a shot afterwards: planned against done, how it followed, how far repeats spread."""
