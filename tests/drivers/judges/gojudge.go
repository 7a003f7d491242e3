// Reads lines "driver base64-of-text"; answers with what that Go driver read: name:base64 pairs, or "refused".
package main

import (
	"bufio"
	"encoding/base64"
	"fmt"
	"os"
	"strings"

	"github.com/go-sql-driver/mysql"
	"github.com/jackc/pgx/v4"
	"github.com/lib/pq"
)

func put(out *strings.Builder, name, value string) {
	fmt.Fprintf(out, " %s:%s", name, base64.StdEncoding.EncodeToString([]byte(value)))
}

func readMySQL(text string, out *strings.Builder) error {
	found, err := mysql.ParseDSN(text)
	if err != nil {
		return err
	}
	put(out, "user", found.User)
	put(out, "password", found.Passwd)
	put(out, "address", found.Addr)
	put(out, "network", found.Net)
	put(out, "database", found.DBName)
	put(out, "timeout", fmt.Sprint(int64(found.Timeout)))
	put(out, "tls", found.TLSConfig)
	put(out, "charset", found.Params["charset"])
	return nil
}

func readPgx(text string, out *strings.Builder) error {
	found, err := pgx.ParseConfig(text)
	if err != nil {
		return err
	}
	put(out, "user", found.User)
	put(out, "password", found.Password)
	put(out, "host", found.Host)
	put(out, "port", fmt.Sprint(found.Port))
	put(out, "database", found.Database)
	put(out, "application_name", found.RuntimeParams["application_name"])
	put(out, "timeout", fmt.Sprint(int64(found.ConnectTimeout)))
	return nil
}

func readPq(text string, out *strings.Builder) error {
	found := text
	if strings.HasPrefix(text, "postgres") {
		var err error
		if found, err = pq.ParseURL(text); err != nil {
			return err
		}
	}
	put(out, "keywords", found)
	return nil
}

func main() {
	readers := map[string]func(string, *strings.Builder) error{"go-mysql": readMySQL, "pgx": readPgx, "lib-pq": readPq}
	lines := bufio.NewScanner(os.Stdin)
	for lines.Scan() {
		driver, encoded, _ := strings.Cut(lines.Text(), " ")
		text, _ := base64.StdEncoding.DecodeString(encoded)
		var out strings.Builder
		if err := readers[driver](string(text), &out); err != nil {
			fmt.Println("refused")
		} else {
			fmt.Println("read" + out.String())
		}
	}
}
