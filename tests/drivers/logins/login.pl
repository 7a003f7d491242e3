# Logs in with what stands on standard input, {"driver", "text", "arguments", "ask"}, and prints the answer's first row as JSON:
# [user, database] where nothing is asked.
use strict; use warnings; use DBI; use JSON::PP; use Encode qw(encode_utf8 decode_utf8);
my $in = JSON::PP->new->utf8->decode(do { local $/; <STDIN> });
my $a = $in->{arguments};
my @given = @$a{qw(dsn username password)};
$in->{driver} eq 'dbd-mariadb' or @given = map { defined $_ ? encode_utf8($_) : undef } @given; # only DBD::MariaDB wants characters
my $db = DBI->connect(@given, { RaiseError => 1, PrintError => 0 });
my $ask = $in->{ask} // ($in->{driver} eq 'dbd-pg' ? 'SELECT current_user, current_database()' : "SELECT current_user(), database()");
my @row = $db->selectrow_array($ask);
utf8::is_utf8($_) or $_ = decode_utf8($_) for @row;
print JSON::PP->new->utf8->encode(\@row);
