import logging
import logging.config

logging.config.dictConfig(
    {
        "version": 1,
        "formatters": {"plain": {"format": "%(levelname)s %(message)s"}},
        "handlers": {
            "out": {"class": "logging.StreamHandler", "stream": "ext://sys.stdout", "formatter": "plain"},
            "file": {"class": "logging.handlers.MemoryHandler", "capacity": 10},
        },
        "root": {"level": "INFO", "handlers": ["out", "file"]},
    }
)
logging.info("high water")
