"""Configuration that clients keep in files and name servers: aliases, named services, data sources, service records."""

from ..errors import LookUpError, RecordError
from .looking_up import Resolution, resolve
from .password_file import find_password
from .service_records import Records, Resolver, ServiceRecord

__all__ = [
    "LookUpError",
    "RecordError",
    "Records",
    "Resolution",
    "Resolver",
    "ServiceRecord",
    "find_password",
    "resolve",
]
