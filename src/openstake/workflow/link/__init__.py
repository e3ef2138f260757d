"""The link: do two ends agree, does the stream fit, what does a caster send."""
