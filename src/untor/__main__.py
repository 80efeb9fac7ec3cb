"""``python -m untor`` is the command ``untor``."""

from untor.cli.main import main

if __name__ == "__main__":
    main()
