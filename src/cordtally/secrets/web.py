"""Asks services over HTTP, with verified TLS, a time limit and a few attempts; nothing that comes back is quoted."""

from __future__ import annotations

import random
import ssl
import time
from typing import TYPE_CHECKING, NamedTuple

from ..deadline import Deadline, NoAnswer
from ..errors import LocatorError, MissingExtra, quoted
from .declarations import Service

if TYPE_CHECKING:
    import httpx

_LARGEST = 1 << 20  # bytes
_PAUSE, _LONGEST_PAUSE = 0.2, 5.0  # seconds
_AGAIN = frozenset([408, 425, 429, 500, 502, 503, 504])


class Answer(NamedTuple):
    """What came back: the text, the service's clock as it wrote it, and the mark of this version of a document."""

    text: str
    date: str
    mark: str


class _Again(Exception):
    """It may go well another time; the message says why it did not."""

    def __init__(self, message: str, pause: float = 0.0) -> None:
        self.pause = pause
        super().__init__(message)


class Request(NamedTuple):
    """What is asked: method, address, the token in clear, a JSON document, and the mark of the version to replace."""

    method: str
    url: str
    token: str | None = None
    document: object = None
    mark: str = ""


def ask(service: Service, request: Request, what: str) -> Answer:
    """Ask a service, as often as it may be tried where that can help.

    Parameters
    ----------
    service : Service
        How it is asked.
    request : Request
        What is asked.
    what : str
        How messages call it.

    Raises
    ------
    LocatorError
        Where nothing came, or a refusal; it says which, and what to do.
    MissingExtra
        When httpx is not installed.
    """
    try:
        import httpx
    except ImportError:
        raise MissingExtra("httpx", "secrets", f"{what}: asking a service") from None
    trust = _trust(service, what)
    for attempt in range(service.attempts):
        try:
            limit = Deadline(service.time_limit)
            return limit.run(lambda: _attempt(httpx.Client, service, request, trust, what))
        except NoAnswer:
            failed = _Again(f"no answer within {service.time_limit:g} s")
        except _Again as error:
            failed = error
        except httpx.TimeoutException:
            failed = _Again(f"no answer within {service.time_limit:g} s")
        except (httpx.HTTPError, OSError) as error:
            failed = _Again(_broken(error, service, what))
        if attempt + 1 < service.attempts:
            pause = max(failed.pause, _PAUSE * 2**attempt)
            time.sleep(min(pause, _LONGEST_PAUSE) * random.uniform(0.5, 1.0))  # spreads the load
    tried = f", asked {service.attempts} times" if service.attempts > 1 else ""
    raise LocatorError(f"{what}: {failed}{tried}")


def _trust(service: Service, what: str) -> ssl.SSLContext:
    try:
        return ssl.create_default_context(cafile=service.ca)
    except (OSError, ssl.SSLError):
        raise LocatorError(f"{what}: the authorities in {quoted(service.ca)} cannot be read") from None


def _attempt(
    client: type[httpx.Client], service: Service, request: Request, trust: ssl.SSLContext, what: str
) -> Answer:
    headers = {"Accept": "application/json", **dict(service.headers)}
    if request.token is not None:
        headers[service.header] = f"{service.scheme}{request.token}"
    if request.mark:
        headers["If-Match"] = request.mark
    # trust_env would send the token through whatever proxy a variable names, redirects to wherever one points
    with client(verify=trust, timeout=service.time_limit, trust_env=False, follow_redirects=False) as session:
        body = {} if request.document is None else {"json": request.document}
        with session.stream(request.method, request.url, headers=headers, **body) as response:  # type: ignore[arg-type]
            _check_status(response.status_code, response.headers.get("Retry-After", ""), what)
            chunks, size = list[bytes](), 0
            for chunk in response.iter_bytes(65536):
                size += len(chunk)
                if size > _LARGEST:
                    raise LocatorError(f"{what}: the answer is larger than {_LARGEST >> 20} MiB: that is no secret")
                chunks.append(chunk)
            found = response.headers
    try:
        return Answer(b"".join(chunks).decode("utf-8"), found.get("Date", ""), found.get("ETag", ""))
    except UnicodeDecodeError:
        raise LocatorError(f"{what}: the answer is no text") from None


def _check_status(status: int, retry_after: str, what: str) -> None:
    if 200 <= status < 300:
        return
    if status in _AGAIN:
        raise _Again(f"the service answers with status {status}", float(retry_after) if retry_after.isdigit() else 0.0)
    told = {
        401: "it does not accept the token: look whether it is still the right one",
        403: "it does not let this token read or write there",
        404: "it has nothing there: look at the path",
        412: "the value was changed meanwhile: try again",
    }.get(status)
    if told is None:
        told = "it sends elsewhere, which is not followed" if 300 <= status < 400 else "it refuses the request"
    raise LocatorError(f"{what}: {told} (status {status})")


def _broken(error: Exception, service: Service, what: str) -> str:
    """Say what is wrong with a connection; with its certificate no other attempt is made."""
    reason: BaseException | None = error
    while reason is not None and not isinstance(reason, ssl.SSLCertVerificationError):
        reason = reason.__cause__ or reason.__context__
    if reason is None:
        return f"no connection ({type(error).__name__})"
    # OpenSSL's numbers of what a certificate can lack (X509_V_ERR_…, openssl/x509_vfy.h)
    told = {
        10: "the certificate of the service has expired",
        9: "the certificate of the service is not valid yet",
        18: "the certificate of the service is signed by itself: name it as ca",
        62: "the certificate of the service is for another host",
        64: "the certificate of the service is for another address",
    }.get(reason.verify_code, "no known authority vouches for the service: name its authority as ca")
    if service.ca is not None and reason.verify_code in {19, 20, 21}:
        told = f"the authorities in {quoted(service.ca)} do not vouch for the service"
    raise LocatorError(f"{what}: {told}") from None
