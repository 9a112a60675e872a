"""What belongs into a page's head: title, description, canonical, directives, JSON-LD."""
