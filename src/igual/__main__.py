"""`python -m igual`: the command line where its script isn't on the path."""

from igual.cli import main

if __name__ == "__main__":
    main()
