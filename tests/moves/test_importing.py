"""Moves out of the configuration of servers, as far as they are certain."""

import pytest

from jovial_atlas.moves.importing import (
    kind_of_configuration,
    read_table,
)
from jovial_atlas.moves.reading_apache import read_apache
from jovial_atlas.moves.reading_nginx import read_nginx

APACHE = [
    ("Redirect 301 /old /new", ["/old /new 301", "/old/** /new/$1 301"]),
    ("redirect /temp/ https://x.example/t/", ["/temp/** https://x.example/t/$1 302"]),
    ("Redirect permanent /a.html /a/", ["/a.html /a/ 301"]),
    ("RewriteCond %{REQUEST_FILENAME} !-f\nRewriteRule . /index.php [L]", []),
    ("Redirect gone /dead", ["/dead  410", "/dead/**  410"]),
    ('RedirectPermanent "/with space" /x', ["/with%20space /x 301", "/with%20space/** /x/$1 301"]),
    (r"RedirectMatch 301 ^/blog/(\d+)/(.*)$ /n/$2?id=$1", [r"^/blog/(\d+)/(.*)$ /n/$2?id=$1 301"]),
    (r'RedirectMatch gone "\.php$"', "it has no beginning|^.*"),
    (r"RewriteRule ^alt\.html$ /neu.html [R=301,L]", ["/alt.html /neu.html 301"]),
    ("RewriteRule ^/?ü$ /u [R=308,L]", ["/%C3%BC /u 308"]),
    ("RewriteRule ^k/([^/]+)/?$ /l/$1/? [R=301,L]", ["^/k/([^/]+)/?$ /l/$1/ 301 drop"]),
    ("RewriteRule ^k/(.*)$ /l/?x=$1 [R,QSA]", ["^/k/(.*)$ /l/?x=$1 302"]),
    ("RewriteRule ^weg/ - [G]", ["^/weg/  410"]),
    ("RewriteRule ^index\\.php$ - [L]", []),
    ("RewriteRule ^k/(.*)$ /l/$1 [R=301,NC]", "capital letters"),
    ("RewriteRule !^k /l [R=301]", "not like"),
    ("RewriteRule ^(.*)$ https://%{HTTP_HOST}/$1 [R=301]", "variable"),
    ("RewriteCond %{HTTPS} off\nRewriteRule ^a$ /b [R=301]", "RewriteCond"),
    ("<Directory /srv>\nRedirect /a /b\n</Directory>", "<Directory /srv>"),
    ("<IfModule mod_alias.c>\nRedirect gone \\\n  /a/\n</IfModule>", ["/a/**  410"]),
    ("Redirect 303 /a /b", "303"),
    ("# Redirect /a /b", []),
]
NGINX = [
    ("location = /one { return 301 /two; }", ["/one /two 301 drop"]),
    ("location = /one { return 301 /two$is_args$args; }", ["/one /two 301"]),
    ("server { location /pre/ { return 301 https://y.example$request_uri; } }",
     ["/pre/** https://y.example/pre/$1 301"]),
    ("location ^~ /p/ { return 410; }", ["/p/**  410 drop"]),
    ('location ~ "^/rx/([a-z]{2,3})/(.*)$" { return 308 /ry/$2/$1; }',
     ["^/rx/([a-z]{2,3})/(.*)$ /ry/$2/$1 308 drop"]),
    ("rewrite ^/r/(.*)\\.html$ /s/$1/ permanent;", [r"^/r/(.*)\.html$ /s/$1/ 301"]),
    ("rewrite ^/q$ /w? redirect;", ["/q /w 302 drop"]),
    ("rewrite ^/int /internal last;", []),
    ('map $uri $new { default ""; /a /b; "/c d" "/e"; ~^/f/(\\d+)$ /g/$1; }\n'
     "server { if ($new) { return 308 $new; } }",
     ["/a /b 308 drop", "/c%20d /e 308 drop", r"^/f/(\d+)$ /g/$1 308 drop"]),
    ("map $uri $new { /a /b; }", "no `return`"),
    ("map $uri $new { include x.map; }", "give the file"),
    ("location ~* \\.JPG$ { return 301 /z; }", "capital letters"),
    ('if ($host != "x") { return 301 https://x$request_uri; }', "condition"),
    ("location / { rewrite ^/in$ /out permanent; }", "location /"),
    ("return 301 /x;", "whole server"),
    ("# rewrite ^/a$ /b permanent;\nlisten 80;", []),
]  # fmt: skip


@pytest.mark.parametrize(
    ("read", "text", "expected"),
    [(read_apache, *case) for case in APACHE] + [(read_nginx, *case) for case in NGINX],
)
def test_what_is_certain_is_taken_and_all_else_is_named(read, text, expected):
    done = read(text)
    if isinstance(expected, list):
        told = [f"{one.old} {one.to} {one.status}{' drop' * (one.query == 'drop')}"
                for one in done.moves]  # fmt: skip
        assert (told, done.unread) == (expected, [])
    elif done.moves:
        assert expected.partition("|")[2] in done.moves[0].old
    else:
        (line,) = done.unread
        assert expected in line.why
        assert text.splitlines()[line.line - 1].strip()


@pytest.mark.parametrize(
    ("text", "rows"),
    [
        ("/a,/b\n/c,/d,302\n", [("/a", "/b", ""), ("/c", "/d", "302")]),
        ("Old URL;New URL;Redirect type\n/a;/b;301 (permanent)\n", [("/a", "/b", "301")]),
        ("to,from\n/b,/a\n\n# note\n", [("/a", "/b", "")]),
    ],
)
def test_tables_of_other_systems_are_read_by_the_names_of_their_columns(text, rows):
    assert [(one.old, one.to, one.status) for one in read_table(text).moves] == rows


def test_the_kind_of_a_configuration_is_seen():
    assert kind_of_configuration(APACHE[0][0]) == "apache"
    assert kind_of_configuration(NGINX[0][0]) == "nginx"
    assert kind_of_configuration("/a,/b\n") == ""
