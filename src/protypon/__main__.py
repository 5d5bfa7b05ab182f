"""``python -m protypon``."""

from protypon.cli.main import main

if __name__ == "__main__":
    main()
