"""From sources to the page table: surveys, and the first site file."""
