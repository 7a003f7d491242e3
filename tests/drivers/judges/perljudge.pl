# Reads lines "driver base64-of-text", hands each text to DBI, and says when it is done; `witness.c` says what a driver made of it.
use strict;
use DBI;
use MIME::Base64;
$| = 1;
while (my $line = <STDIN>) {
    my ($driver, $encoded) = split / /, $line;
    my $text = decode_base64($encoded);
    utf8::decode($text) if $driver eq 'dbd-mariadb'; # it takes characters, the others take bytes
    eval { DBI->connect($text, undef, undef, { RaiseError => 0, PrintError => 0, PrintWarn => 0 }) };
    print "done\n";
}
