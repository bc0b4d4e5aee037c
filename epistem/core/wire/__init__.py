"""Wire formats: build a request, parse a reply. Bytes in, objects out."""
