"""The link between base and rover: do both ends agree, does the stream fit, how far does it reach."""
