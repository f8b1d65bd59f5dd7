"""Catalogs that come with the tool; each folder has a pre-parsed form beside it, made by `prepare`."""
