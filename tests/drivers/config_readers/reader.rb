# Reads paths, and prints what Rails makes of each database.yml: ERB, then YAML, then its own resolver.
require 'active_record'
require 'active_record/database_configurations'
require 'base64'
require 'erb'
require 'yaml'

$stdout.sync = true
$stdin.each_line do |line|
  found = YAML.load(ERB.new(File.read(line.chomp.split("\t")[1], encoding: 'utf-8')).result, aliases: true)
  config = ActiveRecord::DatabaseConfigurations.new(found).configs_for(env_name: 'production', name: 'primary')
  pairs = config.configuration_hash.map { |name, value| [name, value].map { |one| Base64.strict_encode64(one.to_s) }.join(':') }
  puts pairs.join(' ')
rescue StandardError => e
  puts "error #{e.message.tr("\n", ' ')}"
end
