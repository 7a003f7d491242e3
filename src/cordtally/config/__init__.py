"""Configuration that clients keep in files and name servers: aliases, named services, data sources, service records."""

from .looking_up import LookUpError, Resolution, resolve
from .password_file import find_password
from .service_records import RecordError, Records, Resolver, ServiceRecord

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
