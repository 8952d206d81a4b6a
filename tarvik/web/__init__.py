"""The web application: reads a request, calls core and store, renders. No arithmetic here."""
