"""`python -m eager_otter`: the command line."""

from eager_otter.cli.main import main

if __name__ == "__main__":
    main()
