"""Asks the drivers of H2, HSQLDB and Derby what they find in URLs: one JSON line in, one out, in a process of its own."""

import json
import sys

import jpype


def h2(url, password):
    found = jpype.JClass("org.h2.engine.ConnectionInfo")(url, properties(), None, None)
    field = found.getClass().getDeclaredField("userPasswordHash")
    field.setAccessible(True)
    hashed, hashes = field.get(found), jpype.JClass("org.h2.security.SHA256")
    right = hashed is not None and bytes(hashed) == bytes(hashes.getKeyPasswordHash(found.getUserName(), jpype.JString(password).toCharArray()))
    return str(found.getName()), str(found.getUserName()), password if right else None


def hsqldb(url, password):
    found = jpype.JClass("org.hsqldb.DatabaseURL").parseURL(url, True, False)
    return [str(found.getProperty(name)) for name in ("host", "port", "database")], found.getProperty("user"), found.getProperty("password")


def derby(url, password):
    driver, text = jpype.JClass("org.apache.derby.jdbc.ClientDriver").class_, jpype.JString(url)
    tokens = jpype.JClass("java.util.StringTokenizer")(url, "/:= \t\n\r\f", True)

    def call(name, *arguments):
        method = next(one for one in driver.getDeclaredMethods() if str(one.getName()) == name)
        method.setAccessible(True)
        return method.invoke(None, *arguments)

    call("tokenizeProtocol", text, tokens)  # as its connect() goes on from here
    tokens.nextToken(":/")
    places = [str(call(name, tokens, text)) for name in ("tokenizeServerName", "tokenizeOptionalPortNumber", "tokenizeDatabase")]
    options = call("tokenizeURLProperties", text, properties())
    return places, options.getProperty("user"), options.getProperty("password")


def properties():
    return jpype.JClass("java.util.Properties")()


if __name__ == "__main__":
    jpype.startJVM("-Xrs", classpath=[f"/usr/share/java/{name}.jar" for name in ("h2", "hsqldb", "derbyclient")], convertStrings=True)
    for line in sys.stdin:
        reader, url, password = json.loads(line)
        try:
            place, user, secret = {"h2": h2, "hsqldb": hsqldb, "derby": derby}[reader](url, password)
            said = [place, None if user is None else str(user), None if secret is None else str(secret)]
        except jpype.JException as error:
            said = [f"refused: {error}", None, None]
        sys.stdout.write(json.dumps(said) + "\n")
        sys.stdout.flush()
