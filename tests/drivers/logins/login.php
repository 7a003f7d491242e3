<?php
// Logs in with what stands on standard input, {"driver", "text", "arguments"}, and prints [user, database] as JSON.
$in = json_decode(stream_get_contents(STDIN), true);
$a = $in['arguments'];
function pdo($a, $password) {
    $options = [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION];
    foreach ($a as $name => $value) if (str_starts_with($name, 'PDO::')) $options[constant($name)] = $value;
    return new PDO($a['dsn'], $a['username'] ?? null, $a[$password] ?? null, $options);
}
switch ($in['driver']) {
    case 'pdo-pgsql': $row = pdo($a, 'password')->query('SELECT current_user, current_database()')->fetch(PDO::FETCH_NUM); break;
    case 'php-pgsql': $row = pg_fetch_row(pg_query(pg_connect($in['text']), 'SELECT current_user, current_database()')); break;
    case 'pdo-mysql': $row = pdo($a, 'passwd')->query("SELECT current_user(), database()")->fetch(PDO::FETCH_NUM); break;
    case 'mysqli':
        $db = new mysqli($a['hostname'], $a['username'], $a['password'], $a['database'], $a['port']);
        $row = $db->query("SELECT current_user(), database()")->fetch_row();
        break;
    case 'phpredis':
        $db = new Redis();
        $db->connect($a['host'], $a['port'], $a['connectTimeout'] ?? 0);
        $db->auth(array_values($a['auth']));
        $db->select($a['database']);
        $row = [$db->rawCommand('ACL', 'WHOAMI'), (string) $db->getDbNum()];
        break;
}
echo json_encode($row, JSON_UNESCAPED_UNICODE);
