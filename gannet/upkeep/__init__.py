"""Knowledge over the API, judged by its readers, and kept true by its owners."""
