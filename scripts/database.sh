# Which database the scripts for it mean: that of DATABASE_URL, or the one that ./run has.

# Sets plain_url, its address without the password, and PGPASSWORD: what stands on a command line is seen by others.
the_database() {
  if [ -z "${DATABASE_URL:-}" ]; then
    need_packages postgresql
    start_database database
  fi
  plain_url=$(printf '%s' "$DATABASE_URL" | sed -E 's|^([a-z]+://[^:@/]+):[^@]*@|\1@|')
  PGPASSWORD=$(printf '%s' "$DATABASE_URL" | sed -nE 's|^[a-z]+://[^:@/]+:([^@]*)@.*|\1|p')
  export PGPASSWORD
}
