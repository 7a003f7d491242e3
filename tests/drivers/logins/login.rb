# Logs in with what stands on standard input, {"driver", "text", "arguments", "ask"}, and prints the answer's first row as JSON:
# [user, database] where nothing is asked.
require 'json'
given = JSON.parse($stdin.read)
row =
  case given['driver']
  when 'ruby-pg'
    require 'pg'
    PG.connect(given['text']).exec(given['ask'] || 'SELECT current_user, current_database()').values[0]
  when 'ruby-mysql2'
    require 'mysql2'
    client = Mysql2::Client.new(given['arguments'].transform_keys(&:to_sym))
    client.query(given['ask'] || "SELECT current_user() AS u, database() AS d").first.values
  when 'activerecord'
    require 'active_record'
    ActiveRecord::Base.establish_connection(given['text'])
    ActiveRecord::Base.connection.select_rows(given['ask'])[0]
  end
puts JSON.generate(row)
