-- +goose Up

-- What is derived is told in the step of what it is computed from, the finest of those of its unit; differences of temperatures are
-- in kelvins. What is derived from what is derived comes after it. Decimals that were said are a step.
update signal set step = power(10::float8, -(recipe->>'decimals')::int) where step = 0 and kind = 'number' and recipe->>'decimals' is not null;
-- +goose StatementBegin
do $$
begin
    loop
        update signal d set step = i.step
        from (select di.derived_id, min(s.step) as step
              from derived_input di join signal s on s.id = di.input_id join signal d on d.id = di.derived_id
              where s.step > 0 and d.step = 0 and d.kind = 'number' and d.unit <> '' and (s.unit = d.unit or s.unit = 'Cel' and d.unit = 'K')
              group by di.derived_id) i
        where d.id = i.derived_id;
        exit when not found;
    end loop;
end $$;
-- +goose StatementEnd
