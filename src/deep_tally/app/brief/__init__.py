"""The brief beside every view: what is asked, and how much of it was delivered."""
