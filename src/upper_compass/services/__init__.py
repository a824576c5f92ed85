"""What the endpoints work with, and what goes on without being asked: live feed, retention, the site script put together."""
