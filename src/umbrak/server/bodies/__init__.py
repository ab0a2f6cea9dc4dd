"""Bodies of requests, by what they are about."""
