"""What is kept of a site from command to command: its last survey, what is public, its ledger."""
