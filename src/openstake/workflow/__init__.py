"""What a person does, one module per step."""
