"""Whether what is published is right: by the protocols, by its pages, and as it is served."""
