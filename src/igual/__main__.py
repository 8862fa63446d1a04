"""The command line: `python -m igual`, and where the script `igual` begins."""

# The module `signal` itself takes long to import: what it wraps is there from the start.
import _signal  # type: ignore[import-not-found]


def main() -> None:
    """Run the command line; an interrupt while it is still being imported ends it as quietly as the system does."""
    if _signal.getsignal(_signal.SIGINT) is _signal.default_int_handler:
        _signal.signal(_signal.SIGINT, _signal.SIG_DFL)
    from igual.cli import main as run

    run()


if __name__ == "__main__":
    main()
