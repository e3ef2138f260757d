"""The job: its settings, coordinate system, control list and plan."""
