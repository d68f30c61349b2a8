"""Files in and out: what a file says of itself, its frames as native planes, writing, timecode."""
