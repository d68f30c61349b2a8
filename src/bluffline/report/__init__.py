"""What is handed over: JSON, CSV and the printable certificate."""
