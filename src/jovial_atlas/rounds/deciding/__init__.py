"""What is decided about pages, shown and changed: rules, lists, explanations, texts."""
