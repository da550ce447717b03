"""The web server: loads, calls the core, stores. One app a room, plus productions, accounts and work (jobs)."""
