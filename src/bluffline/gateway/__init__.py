"""A stand-in for a playout system's intake: takes files with their certificates, and accepts only what it can verify."""
