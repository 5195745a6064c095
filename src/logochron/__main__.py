"""``python -m logochron``."""

from logochron.cli.main import run

if __name__ == "__main__":
    run()
