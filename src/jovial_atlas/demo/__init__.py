"""The sample site, Marrowfen Wetland Reserve, and the round that shows the tool at work on it."""
