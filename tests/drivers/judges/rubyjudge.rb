# Reads lines "driver base64-of-text", hands each text to that Ruby driver, and says when it is done; `witness.c` says what
# it made of it.
require 'base64'
require 'active_record'
require 'pg'

# the pg gem looks hosts up before libpq sees them: no judgement waits for a name server
class << Addrinfo
  alias look_up getaddrinfo
  def getaddrinfo(host, *rest, **more)
    raise SocketError unless host =~ /\A[\d.]+\z|:/

    look_up(host, *rest, **more)
  end
end

$stdout.sync = true
$stdin.each_line do |line|
  driver, encoded = line.split
  text = Base64.decode64(encoded.to_s).force_encoding('utf-8')
  begin
    driver == 'ruby-pg' ? PG.connect(text) : ActiveRecord::Base.establish_connection(text).connection
  rescue StandardError, LoadError
    nil
  end
  puts 'done'
end
