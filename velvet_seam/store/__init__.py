"""What is kept: footage, shots with every revision, background jobs, and the folder of files."""
