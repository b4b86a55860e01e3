/** In SQL: whether the house asks a second factor of a person `p`, by its policy `h`. */
export const isFactorAsked = `(h.second_factor = 'all' or h.second_factor = 'leads' and p.access = 'lead')`
/** In SQL: whether a person `p` has none. */
export const hasNoFactor = `not exists (select from second_factor f where f.person_id = p.id and f.confirmed_at is not null)`
