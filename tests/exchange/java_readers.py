"""Asks the drivers of H2, HSQLDB and Derby what they find in URLs: one JSON line in, one out, in a process of its own."""

import json
import sys

import jpype

jpype.startJVM("-Xrs", classpath=[f"/usr/share/java/{name}.jar" for name in ("h2", "hsqldb", "derbyclient")], convertStrings=True)
Properties, Tokenizer = jpype.JClass("java.util.Properties"), jpype.JClass("java.util.StringTokenizer")
H2, Hashes = jpype.JClass("org.h2.engine.ConnectionInfo"), jpype.JClass("org.h2.security.SHA256")
Hsqldb, Derby = jpype.JClass("org.hsqldb.DatabaseURL"), jpype.JClass("org.apache.derby.jdbc.ClientDriver")


def h2(url, password):
    found = H2(url, Properties(), None, None)
    field = H2.class_.getDeclaredField("userPasswordHash")
    field.setAccessible(True)
    hashed = field.get(found)
    right = hashed is not None and bytes(hashed) == bytes(Hashes.getKeyPasswordHash(found.getUserName(), jpype.JString(password).toCharArray()))
    return str(found.getName()), str(found.getUserName()), password if right else None


def hsqldb(url, password):
    found = Hsqldb.parseURL(url, True, False)
    return [str(found.getProperty(name)) for name in ("host", "port", "database")], found.getProperty("user"), found.getProperty("password")


def derby(url, password):
    tokens, text = Tokenizer(url, "/:= \t\n\r\f", True), jpype.JString(url)

    def call(name, *arguments):
        method = next(one for one in Derby.class_.getDeclaredMethods() if str(one.getName()) == name)
        method.setAccessible(True)
        return method.invoke(None, *arguments)

    call("tokenizeProtocol", text, tokens)  # as its connect() goes on from here
    tokens.nextToken(":/")
    places = [str(call(name, tokens, text)) for name in ("tokenizeServerName", "tokenizeOptionalPortNumber", "tokenizeDatabase")]
    options = call("tokenizeURLProperties", text, Properties())
    return places, options.getProperty("user"), options.getProperty("password")


for line in sys.stdin:
    reader, url, password = json.loads(line)
    try:
        place, user, secret = globals()[reader](url, password)
        said = [place, None if user is None else str(user), None if secret is None else str(secret)]
    except jpype.JException as error:
        said = [f"refused: {error}", None, None]
    sys.stdout.write(json.dumps(said) + "\n")
    sys.stdout.flush()
