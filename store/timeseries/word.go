package timeseries

import (
	"context"

	"jauntylark/store"
)

// Words gives the numbers of texts, made where they are new.
func Words(ctx context.Context, db store.Writer, texts []string) (map[string]int64, error) {
	numbers := make(map[string]int64, len(texts))
	var rows []struct {
		ID   int64  `db:"id"`
		Text string `db:"text"`
	}
	err := db.Select(ctx, &rows, `
		with wanted as (select distinct w as text, sha256(convert_to(w, 'UTF8')) as hash from unnest($1::text[]) w),
		new as (insert into word (hash, text) select hash, text from wanted on conflict (hash) do nothing
		    returning id, text)
		select id, text from new union all select w.id, w.text from word w join wanted using (hash)`, texts)
	for _, r := range rows {
		numbers[r.Text] = r.ID
	}
	return numbers, err
}

// WordsOf gives the texts of numbers.
func WordsOf(ctx context.Context, db store.Reader, numbers []int64) (map[int64]string, error) {
	texts := make(map[int64]string, len(numbers))
	var rows []struct {
		ID   int64  `db:"id"`
		Text string `db:"text"`
	}
	err := db.Select(ctx, &rows, `select id, text from word where id = any($1::bigint[])`, numbers)
	for _, r := range rows {
		texts[r.ID] = r.Text
	}
	return texts, err
}
