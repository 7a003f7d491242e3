// Reads lines "driver base64-of-text"; answers with what that Go driver read: name:base64 pairs, or "refused".
package main

import (
	"bufio"
	"crypto/tls"
	"encoding/base64"
	"fmt"
	"os"
	"strings"

	mssql "github.com/denisenkom/go-mssqldb"
	"github.com/go-sql-driver/mysql"
	"github.com/jackc/pgx/v4"
	"github.com/lib/pq"
	"go.mongodb.org/mongo-driver/x/mongo/driver/connstring"
)

func put(out *strings.Builder, name, value string) {
	fmt.Fprintf(out, " %s:%s", name, base64.StdEncoding.EncodeToString([]byte(value)))
}

// The options that a driver passes on; a name with a blank or a colon cannot stand in an answer.
func putAll(out *strings.Builder, options map[string]string) {
	for name, value := range options {
		apart := " charset application_name user password database address network host port hosts level timeout "
		if !strings.ContainsAny(name, " :\t\n") && name != "" && !strings.Contains(apart, " "+name+" ") {
			put(out, name, value)
		}
	}
}

// How far a pgx connection is verified, as its configuration says.
func level(config *tls.Config) string {
	switch {
	case config == nil:
		return "off"
	case !config.InsecureSkipVerify:
		return "verify-identity"
	case config.VerifyPeerCertificate != nil:
		return "verify-chain"
	}
	return "encrypted"
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
	put(out, "readTimeout", fmt.Sprint(int64(found.ReadTimeout)))
	put(out, "writeTimeout", fmt.Sprint(int64(found.WriteTimeout)))
	put(out, "collation", found.Collation)
	put(out, "maxAllowedPacket", fmt.Sprint(found.MaxAllowedPacket))
	put(out, "allowAllFiles", fmt.Sprint(found.AllowAllFiles))
	put(out, "multiStatements", fmt.Sprint(found.MultiStatements))
	put(out, "parseTime", fmt.Sprint(found.ParseTime))
	put(out, "loc", fmt.Sprint(found.Loc))
	putAll(out, found.Params)
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
	first, hosts := level(found.TLSConfig), []string{fmt.Sprintf("%s|%d", found.Host, found.Port)}
	for _, other := range found.Fallbacks {
		if host := fmt.Sprintf("%s|%d", other.Host, other.Port); host != hosts[len(hosts)-1] {
			hosts = append(hosts, host)
		}
		if (other.TLSConfig == nil) != (found.TLSConfig == nil) {
			first = "opportunistic"
		}
	}
	put(out, "hosts", strings.Join(hosts, ","))
	put(out, "level", first)
	putAll(out, found.RuntimeParams)
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

func readMongo(text string, out *strings.Builder) error {
	found, err := connstring.ParseAndValidate(text)
	if err != nil {
		return err
	}
	put(out, "user", found.Username)
	put(out, "password", found.Password)
	put(out, "hosts", strings.Join(found.Hosts, ","))
	put(out, "database", found.Database)
	for name, values := range found.Options {
		putAll(out, map[string]string{name: values[len(values)-1]})
	}
	return nil
}

func readMssql(text string, out *strings.Builder) error {
	found, err := mssql.JudgeParse(text)
	if err != nil {
		return err
	}
	for name, value := range found {
		put(out, name, value)
	}
	return nil
}

func main() {
	readers := map[string]func(string, *strings.Builder) error{"go-mysql": readMySQL, "pgx": readPgx, "lib-pq": readPq, "mongo-go": readMongo, "go-mssqldb": readMssql}
	lines := bufio.NewScanner(os.Stdin)
	for lines.Scan() {
		driver, encoded, _ := strings.Cut(lines.Text(), " ")
		text, _ := base64.StdEncoding.DecodeString(encoded)
		var out strings.Builder
		read := func() (err error) {
			defer func() { // a driver that panics reads nothing
				if recover() != nil {
					err = fmt.Errorf("panic")
				}
			}()
			return readers[driver](string(text), &out)
		}
		if err := read(); err != nil {
			fmt.Println("refused")
		} else {
			fmt.Println("read" + out.String())
		}
	}
}
