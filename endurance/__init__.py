"""What takes long and so stands beside `./dusk test`: kills at random moments, and memory over a long day."""
