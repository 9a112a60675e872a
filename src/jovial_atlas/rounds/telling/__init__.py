"""What engines are told, what they and the logs of servers say, and how the site stands."""
