// Lets the judge call the reader of go-mssqldb, which is private: copied beside a copy of the driver's source.
package mssql

import "fmt"

// JudgeParse reads a connection string as the driver does.
func JudgeParse(text string) (map[string]string, error) {
	found, err := parseConnectParams(text)
	if err != nil {
		return nil, err
	}
	return map[string]string{
		"host": found.host, "port": fmt.Sprint(found.port), "instance": found.instance, "database": found.database,
		"user": found.user, "password": found.password, "app_name": found.appname, "workstation_id": found.workstation,
		"dial_timeout": fmt.Sprint(int64(found.dial_timeout)), "connection_timeout": fmt.Sprint(int64(found.conn_timeout)),
		"encrypt": fmt.Sprint(found.encrypt), "disabled": fmt.Sprint(found.disableEncryption),
		"trust": fmt.Sprint(found.trustServerCertificate), "certificate": found.certificate,
		"packet_size": fmt.Sprint(found.packetSize), "partner": found.failOverPartner,
	}, nil
}
