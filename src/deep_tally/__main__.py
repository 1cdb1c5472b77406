"""`python -m deep_tally`: the same as the command `deep-tally`."""

from deep_tally.cli.main import main

if __name__ == "__main__":
    main()
