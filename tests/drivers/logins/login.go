// Reads lines "driver base64-of-text base64-of-question"; logs in, asks, and answers with the first row: "row" and base64
// words, or "refused".
package main

import (
	"bufio"
	"database/sql"
	"encoding/base64"
	"fmt"
	"os"
	"strings"

	_ "github.com/go-sql-driver/mysql"
	_ "github.com/jackc/pgx/v4/stdlib"
	_ "github.com/lib/pq"
)

func decode(word string) string {
	text, _ := base64.StdEncoding.DecodeString(word)
	return string(text)
}

func first(driver, text, question string) (row []string, err error) {
	defer func() {
		if cause := recover(); cause != nil {
			err = fmt.Errorf("panic: %v", cause)
		}
	}()
	db, err := sql.Open(driver, text)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	rows, err := db.Query(question)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	names, _ := rows.Columns()
	values, places := make([]sql.NullString, len(names)), make([]interface{}, len(names))
	for number := range values {
		places[number] = &values[number]
	}
	rows.Next()
	if err = rows.Scan(places...); err != nil {
		return nil, err
	}
	for _, value := range values {
		row = append(row, base64.StdEncoding.EncodeToString([]byte(value.String)))
	}
	return row, nil
}

func main() {
	names := map[string]string{"go-mysql": "mysql", "pgx": "pgx", "lib-pq": "postgres"}
	lines := bufio.NewScanner(os.Stdin)
	for lines.Scan() {
		words := strings.Split(lines.Text(), " ")
		if row, err := first(names[words[0]], decode(words[1]), decode(words[2])); err != nil {
			fmt.Println("refused " + base64.StdEncoding.EncodeToString([]byte(err.Error())))
		} else {
			fmt.Println("row " + strings.Join(row, " "))
		}
	}
}
