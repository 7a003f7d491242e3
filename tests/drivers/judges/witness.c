/* Stands in for the C clients' way in: says what a driver hands to them, and connects to nothing.
   Each call adds a line to the file WITNESS: name:hexadecimal pairs. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <stdio.h>
#include <stdlib.h>

/* PHP binds its extensions to their own libraries first: not to us. */
void *dlopen(const char *file, int flags)
{
    void *(*real)(const char *, int) = dlsym(RTLD_NEXT, "dlopen");
    return real(file, flags & ~RTLD_DEEPBIND);
}

static FILE *line(void) { return fopen(getenv("WITNESS"), "a"); }

static void put(FILE *out, const char *name, const char *value)
{
    if (!value) return;
    fprintf(out, "%s:", name);
    for (; *value; value++) fprintf(out, "%02x", (unsigned char)*value);
    fputc(' ', out);
}

static void *said(const char *conninfo)
{
    FILE *out = line();
    put(out, "conninfo", conninfo);
    fputc('\n', out);
    fclose(out);
    return NULL; /* libpq's own functions take that for a connection that failed */
}

void *PQconnectdb(const char *conninfo) { return said(conninfo); }
void *PQconnectStart(const char *conninfo) { return said(conninfo); }

void *mysql_real_connect(void *handle, const char *host, const char *user, const char *password, const char *database,
                         unsigned port, const char *socket, unsigned long flags)
{
    char digits[16];
    FILE *out = line();
    snprintf(digits, sizeof digits, "%u", port);
    put(out, "host", host);
    put(out, "user", user);
    put(out, "password", password);
    put(out, "database", database);
    put(out, "port", port ? digits : NULL);
    put(out, "socket", socket);
    fputc('\n', out);
    fclose(out);
    (void)handle, (void)flags;
    return NULL;
}
