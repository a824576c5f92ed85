"""Running the application on one machine: its PostgreSQL, its build, its processes. Nothing here is needed where somebody else runs these."""
