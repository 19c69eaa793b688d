-- +goose Up
-- Since when a reader has not taken what is posted to it.
alter table reader add failing_since bigint;
