"""The studio: Django around the core. Pages, live socket, storage, jobs."""
