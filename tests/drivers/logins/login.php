<?php
// Logs in with what stands on standard input, {"driver", "text", "arguments", "ask"}, and prints the answer's first row as JSON:
// [user, database] where nothing is asked.
$in = json_decode(stream_get_contents(STDIN), true);
$a = $in['arguments'];
function pdo($a, $password) {
    $options = [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION];
    foreach ($a as $name => $value) if (str_starts_with($name, 'PDO::')) $options[constant($name)] = $value;
    return new PDO($a['dsn'], $a['username'] ?? null, $a[$password] ?? null, $options);
}
switch ($in['driver']) {
    case 'pdo-pgsql': $row = pdo($a, 'password')->query($in['ask'] ?? 'SELECT current_user, current_database()')->fetch(PDO::FETCH_NUM); break;
    case 'php-pgsql': $row = pg_fetch_row(pg_query(pg_connect($in['text']) ?: exit(1), $in['ask'] ?? 'SELECT current_user, current_database()')); break;
    case 'pdo-mysql': $row = pdo($a, 'passwd')->query($in['ask'] ?? "SELECT current_user(), database()")->fetch(PDO::FETCH_NUM); break;
    case 'mysqli':
        mysqli_report(MYSQLI_REPORT_ERROR | MYSQLI_REPORT_STRICT);
        $db = mysqli_init();
        foreach ($a as $name => $value) if (str_starts_with($name, 'MYSQLI_')) $db->options(constant($name), $value);
        $set = fn($part) => $a["ssl_set.$part"] ?? null;
        if ($set('ca') || $set('cert')) $db->ssl_set($set('key'), $set('cert'), $set('ca'), null, null);
        $db->real_connect($a['hostname'] ?? null, $a['username'], $a['password'], $a['database'], $a['port'] ?? null, $a['socket'] ?? null,
            array_sum(array_map('constant', array_filter(explode('|', $a['flags'] ?? '')))));
        $row = $db->query($in['ask'] ?? "SELECT current_user(), database()")->fetch_row();
        break;
    case 'phpredis':
        $db = new Redis();
        $stream = str_starts_with($a['host'], 'tls:') ? ['stream' => $a['ssl'] ?? []] : []; // without TLS PhpRedis waits for ever upon one
        $db->connect($a['host'], $a['port'], $a['connectTimeout'] ?? 0, null, 0, 0, $stream);
        $db->auth(array_values($a['auth']));
        $db->select($a['database'] ?? 0);
        $row = isset($in['ask']) ? [str_starts_with($a['host'], 'tls:')] : [$db->rawCommand('ACL', 'WHOAMI'), (string) $db->getDbNum()];
        break;
}
echo json_encode($row, JSON_UNESCAPED_UNICODE);
