"""Addresses, spans, kinds of fields and words, without any plan."""
