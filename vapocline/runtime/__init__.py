"""Starting and watching what the application consists of: database, simulators, server."""
