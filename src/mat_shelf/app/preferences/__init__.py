"""What a user chooses for every project, kept from start to start."""
