"""Where the ledger lies: opening it, bringing it up to date, and having it alone.

SQLite in a file by default; PostgreSQL by its address, where several people or machines announce
the same site. In PostgreSQL each host of a site has a schema of its own.
"""

from __future__ import annotations

import hashlib
import re
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from importlib.resources import as_file, files
from pathlib import Path
from typing import Any

from sqlalchemy import Connection, Engine, create_engine, event, inspect, text
from sqlalchemy.engine import URL, make_url
from sqlalchemy.exc import ArgumentError, NoSuchModuleError, SQLAlchemyError
from sqlalchemy.schema import CreateSchema

from jovial_atlas.errors import BusyError, LedgerError
from jovial_atlas.files import make_folder
from jovial_atlas.ledger.tables import VERSION
from jovial_atlas.redact import redacted

#: How often it is asked whether another command is done, in seconds.
_AGAIN = 0.2


class Store:
    """A database with the ledger's tables. `now` gives the time in the product's form.

    Every method raises LedgerError where the database cannot be used.
    """

    def __init__(
        self, path: Path | str, now: Callable[[], str], *, schema: str = "", password: str = ""
    ) -> None:
        """`path` is the file of a SQLite database, or the address of a database; `schema` is made
        there where it is missing."""
        self.now = now
        self._schema = schema
        self._secrets: list[str] = []
        if isinstance(path, Path):
            self.shown = str(path)
            self._place = path
            make_folder(path.parent)
            url = URL.create("sqlite", database=str(path))
        else:
            url = _url(path, password)
            port = f":{url.port}" if url.port else ""
            self.shown = f"postgresql://{url.host or ''}{port}/{url.database or ''}"
            self._secrets = [str(one) for one in (password, url.password) if one]
        self._engine = _engine(url, schema)
        try:
            self._make_ready()
        except BaseException:
            self._engine.dispose()
            raise

    @property
    def is_shared(self) -> bool:
        """Whether others may use the same ledger from other machines."""
        return self._engine.dialect.name != "sqlite"

    @contextmanager
    def _transaction(self, *, writes: bool = False) -> Iterator[Connection]:
        with self._translated(), self._engine.connect() as connection:
            connection = connection.execution_options(atlas_writes=writes)
            with connection.begin():
                yield connection

    @contextmanager
    def _translated(self) -> Iterator[None]:
        try:
            yield
        except SQLAlchemyError as error:
            reason = str(getattr(error, "orig", None) or error).strip().splitlines()[0]
            help_ = (
                "See whether its server runs and lets this user in."
                if self.is_shared
                else "If another command is running, wait for it; if the file is damaged, restore "
                "it from a backup."
            )
            told = f"The ledger {self.shown} cannot be used ({reason}). {help_}"
            raise LedgerError(redacted(told, self._secrets)) from None

    def _make_ready(self) -> None:
        """Make the tables, or bring them up to date, once; whoever comes second finds it done."""
        if self._version() == VERSION:
            return
        with self.alone("setup", wait=60.0):
            version = self._version()
            if version == VERSION:
                return
            if version > VERSION:
                raise LedgerError(
                    f"The ledger {self.shown} was made by a newer version of Jovial Atlas "
                    f"(step {version}; this one knows {VERSION}). Update Jovial Atlas."
                )
            from alembic import command
            from alembic.config import Config

            steps = files("jovial_atlas.ledger") / "migrations"
            with as_file(steps) as folder, self._transaction(writes=True) as connection:
                if self._schema and self._schema not in inspect(connection).get_schema_names():
                    connection.execute(CreateSchema(self._schema))
                config = Config()
                config.set_main_option("script_location", str(folder).replace("%", "%%"))
                config.attributes["connection"] = connection
                command.upgrade(config, "head")

    def _version(self) -> str:
        """The step that the tables are at; empty where there are none, or from before steps."""
        with self._transaction() as connection:
            if not inspect(connection).has_table("alembic_version", schema=self._schema or None):
                return ""
            found = connection.execute(text("select version_num from alembic_version")).scalar()
        return str(found or "")

    @contextmanager
    def alone(self, doing: str, wait: float = 0.0) -> Iterator[None]:
        """Have the ledger alone for doing one thing (`submit`, `setup`) as long as the block runs,
        so that nothing is announced twice at a time; others may read it, and do other things. Waits
        up to `wait` seconds for whoever does the same.

        It is given up when the process ends, however it ends. Raises LedgerError.
        """
        if self.is_shared:
            with self._translated(), self._engine.connect() as connection:
                # Taken out of the pool: the lock goes when this connection is closed.
                connection.execution_options(isolation_level="AUTOCOMMIT").detach()
                self._alone_on_server(connection, doing, wait)
                try:
                    yield
                finally:
                    # A server notices only a moment later that a connection was closed.
                    with suppress(SQLAlchemyError):
                        connection.execute(text("select pg_advisory_unlock_all()"))
            return
        from filelock import FileLock, Timeout

        lock = FileLock(self._place.with_name(f"{self._place.name}-{doing}.lock"))
        try:
            lock.acquire(timeout=wait, poll_interval=_AGAIN)
        except Timeout:
            raise BusyError(self._busy(doing)) from None
        except OSError as error:
            raise LedgerError(
                f"The ledger {self.shown} cannot be used ({error.strerror}). Check that its folder "
                "exists and that you may write there."
            ) from error
        try:
            yield
        finally:
            lock.release()

    def _alone_on_server(self, connection: Connection, doing: str, wait: float) -> None:
        """An advisory lock that ends with the connection."""
        what = f"jovial-atlas {self._schema} {doing}"
        name = hashlib.blake2b(what.encode(), digest_size=8).digest()
        key = int.from_bytes(name, "big", signed=True)
        deadline = time.monotonic() + wait
        ask = text("select pg_try_advisory_lock(:key)")
        while not connection.execute(ask, {"key": key}).scalar_one():
            if time.monotonic() >= deadline:
                raise BusyError(self._busy(doing))
            time.sleep(_AGAIN)

    def _busy(self, doing: str) -> str:
        return (
            f"Another command has the ledger {self.shown} for itself, so this one ({doing}) stops "
            "rather than do the same twice. Wait for it, then run this again."
        )

    def close(self) -> None:
        """Let the database go."""
        self._engine.dispose()


def schema_of(host: str) -> str:
    """The PostgreSQL schema of one host: `atlas_` and its name, 63 characters at most."""
    return f"atlas_{re.sub(r'[^a-z0-9]+', '_', host.lower())}"[:63]


def _url(path: str, password: str) -> URL:
    try:
        url = make_url(path)
    except (ArgumentError, ValueError):
        raise LedgerError(
            "`connect` in [ledger] is no database address. "
            "Give it like postgresql://atlas@localhost/ledger"
        ) from None
    if url.get_backend_name() != "postgresql":
        raise LedgerError(
            f"A ledger cannot lie in {url.get_backend_name()}. Leave `connect` out for a file "
            "beside the site file, or give the address of a PostgreSQL database."
        )
    url = url.set(drivername="postgresql+psycopg")
    return url.set(password=password) if password else url


def _engine(url: URL, schema: str) -> Engine:
    if url.get_backend_name() == "sqlite":
        engine = create_engine(url)
        event.listen(engine, "connect", _careful)
        event.listen(engine, "begin", _begin)
        return engine
    options = {"connect_timeout": 10, "options": f"-csearch_path={schema}"}
    try:
        return create_engine(url, connect_args=options)
    except (ImportError, NoSuchModuleError) as error:
        raise LedgerError(
            f"The driver for PostgreSQL is not installed ({error}). "
            "Install it: pip install 'jovial-atlas[postgresql]'"
        ) from None


def _careful(connection: Any, _record: object) -> None:
    """Wait for another command instead of failing, and survive a power cut."""
    # Transactions are begun below, so that tables are changed within one too.
    connection.isolation_level = None
    cursor = connection.cursor()
    cursor.execute("PRAGMA busy_timeout = 5000")
    cursor.execute("PRAGMA foreign_keys = ON")
    cursor.close()


def _begin(connection: Connection) -> None:
    writes = connection.get_execution_options().get("atlas_writes")
    connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")
