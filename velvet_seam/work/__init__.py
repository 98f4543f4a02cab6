"""Background work: pictures for the screen, footage made ready, renders. Never in the web process."""
