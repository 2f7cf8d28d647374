"""What every request goes through: settings, processes, access, errors, logs, addresses and static files."""
