create table walks (slug text, title text, changed_at text, public integer);
insert into walks values ('dawn-chorus', 'Dawn chorus walk', '2026-11-10 09:00:00', 1);
insert into walks values ('bats', 'Bat evening', '2026-11-12 18:00:00', 1);
insert into walks values ('staff-only', 'Fence repair', '2026-11-12 18:00:00', 0);
