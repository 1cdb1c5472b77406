"""Pages to be sent: the reply, and the brief as a page for the client."""
