"""The HTTP API and the pages: one router an area, thin; errors are RFC 9457 problem documents."""
