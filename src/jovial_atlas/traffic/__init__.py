"""What people searched, saw and clicked: tables of it read, kept by month, and asked."""
