"""The chain of a job: its state in one call, its budget, what is answered to findings, the morning."""
