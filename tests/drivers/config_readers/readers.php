<?php
// Reads "KIND<tab>PATH" lines, and prints what the framework's own reader makes of the file, in Base64.
error_reporting(E_ERROR);
foreach (['Symfony/Component/Yaml', 'Symfony/Component/Dotenv', 'Doctrine/DBAL', 'Illuminate/Support'] as $one) {
    @include_once "/usr/share/php/$one/autoload.php";
}

function flat(array $given, string $above = ''): array {
    $found = [];
    foreach ($given as $key => $value) {
        $name = $above === '' ? (string) $key : "$above.$key";
        $found += is_array($value) ? flat($value, $name) : [$name => (string) $value];
    }
    return $found;
}

while (($line = fgets(STDIN)) !== false) {
    [$kind, $path] = explode("\t", rtrim($line, "\n"));
    try {
        $found = match ($kind) {
            'dotenv' => (new Symfony\Component\Dotenv\Dotenv())->parse(file_get_contents($path), $path),
            'laravel' => (new Illuminate\Support\ConfigurationUrlParser())->parseConfiguration((include $path)['connections']['tides']),
            'doctrine' => Doctrine\DBAL\DriverManager::getConnection(
                Symfony\Component\Yaml\Yaml::parseFile($path)['doctrine']['dbal']['connections']['tides'])->getParams(),
        };
        $pairs = [];
        foreach (flat($found) as $name => $value) {
            $pairs[] = base64_encode($name) . ':' . base64_encode($value);
        }
        echo implode(' ', $pairs), "\n";
    } catch (Throwable $error) {
        echo 'error ', str_replace("\n", ' ', $error->getMessage()), "\n";
    }
}
