"""``python -m engraver``: the same as the program."""

from engraver.cli.main import main

if __name__ == "__main__":
    main()
