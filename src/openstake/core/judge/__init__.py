"""Rules: evidence in, findings out.  The product's voice."""
