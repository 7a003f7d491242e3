# Sample data: nothing here exists.
con <- dbConnect(RPostgres::Postgres(), host = "survey.greywick.example", dbname = "soundings",
                 user = "survey", password = Sys.getenv("SURVEY_PASSWORD"))
note <- "host=survey.greywick.example dbname=soundings user=survey password='not a real pw'"
