"""Watch: listening, the state of the moment, the fix history."""
