"""Line-up: two takes put in register, in place and in time."""
