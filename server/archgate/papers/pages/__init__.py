"""The public pages: real HTML from the server, one template a page, readable without scripts."""
