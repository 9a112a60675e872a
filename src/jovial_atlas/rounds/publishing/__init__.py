"""From verdicts to what visitors and engines read: builds, head data in pages, previews."""
