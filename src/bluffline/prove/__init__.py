"""The long jobs: survey, propose, render, read back and prove."""
