"""One HTML page: its head, main content, videos and structured data, as a row of the page table."""
