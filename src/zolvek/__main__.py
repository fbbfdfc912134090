"""`python -m zolvek`, the same as the `zolvek` command."""

from zolvek.cli import main

if __name__ == "__main__":
    main()
