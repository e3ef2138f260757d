"""set-ups, photos, averages with their epochs, static logs; several height readings to a base, before and after"""

import sqlalchemy as sa
from alembic import op

NEW = ("setup", "photo", "position_average", "average_epoch", "static_log", "static_log_end")

revision = '0003'
down_revision = '0002'


def _key() -> sa.Column[str]:
    return sa.Column('id', sa.String(36), primary_key=True)


def _text(name: str, length: int) -> sa.Column[str]:
    return sa.Column(name, sa.String(length), nullable=False)


def _number(name: str, needed: bool = True) -> sa.Column[float]:
    return sa.Column(name, sa.Float(), nullable=not needed)


def upgrade() -> None:
    op.create_table('setup', _key(),
        sa.Column('line_id', sa.String(36), nullable=False, index=True),
        sa.Column('job_id', sa.String(36), sa.ForeignKey('job.id'), nullable=False, index=True),
        sa.Column('data', sa.Text(), nullable=False),
        sa.Column('dropped', sa.Boolean(), nullable=False),
        sa.Column('replaces_id', sa.String(36), sa.ForeignKey('setup.id'), unique=True),
        _number('created_s'),
    )
    op.create_table('photo', _key(),
        sa.Column('setup_id', sa.String(36), nullable=False, index=True),
        sa.Column('job_id', sa.String(36), sa.ForeignKey('job.id'), nullable=False),
        _text('name', 200), _text('media_type', 40), _text('file', 200), _number('created_s'),
    )
    op.create_table('position_average', _key(),
        sa.Column('job_id', sa.String(36), sa.ForeignKey('job.id'), nullable=False, index=True),
        _text('purpose', 8),
        sa.Column('mark_id', sa.String(36), sa.ForeignKey('mark.id'), index=True),
        sa.Column('setup_id', sa.String(36)),
        sa.Column('origin', sa.Text(), nullable=False),
        _text('refers_to', 8), _number('arp_to_apc_m', False),
        sa.Column('height_reading_id', sa.String(36), sa.ForeignKey('height_reading.id')),
        _number('x_m'), _number('y_m'), _number('z_m'),
        sa.Column('epochs', sa.Integer(), nullable=False), sa.Column('used', sa.Integer(), nullable=False), _number('span_s'),
        _number('precision_east_m', False), _number('precision_north_m', False), _number('precision_up_m', False),
        _number('effective_n'), _text('lowest_status', 8), _number('accuracy_95_m'), _number('created_s'),
    )
    op.create_table('average_epoch',
        sa.Column('average_id', sa.String(36), sa.ForeignKey('position_average.id'), primary_key=True),
        sa.Column('n', sa.Integer(), primary_key=True),
        _number('time_of_day_s', False), sa.Column('date', sa.String(10)), _number('host_s'),
        sa.Column('quality', sa.Integer(), nullable=False), _text('latitude_text', 24), _text('longitude_text', 24),
        _number('altitude_m', False), _number('separation_m', False), sa.Column('satellites', sa.Integer()),
        _number('pdop', False), _number('hdop', False), _number('vdop', False), _number('age_s', False),
        sa.Column('station_id', sa.Integer()), _number('sigma_east_m', False), _number('sigma_north_m', False),
        _number('sigma_up_m', False), sa.Column('reference_id', sa.String(36)),
    )
    op.create_table('static_log', _key(),
        sa.Column('occupation_id', sa.String(36), sa.ForeignKey('occupation.id'), nullable=False, index=True),
        _text('raw_file', 200), sa.Column('raw_offset', sa.Integer(), nullable=False), _number('started_s'),
    )
    op.create_table('static_log_end',
        sa.Column('log_id', sa.String(36), sa.ForeignKey('static_log.id'), primary_key=True),
        _text('raw_file', 200), sa.Column('raw_offset', sa.Integer(), nullable=False), _number('ended_s'),
    )
    # Columns that are added need no rebuilding of a table, so its triggers stay.
    op.add_column('job_settings', sa.Column('height_limit_m', sa.Float(), nullable=False, server_default='0.003'))
    op.add_column('occupation', sa.Column('setup_id', sa.String(36)))
    for column in (
        sa.Column('setup_id', sa.String(36)),
        sa.Column('moment', sa.String(8), nullable=False, server_default='before'),
        sa.Column('who', sa.String(80), nullable=False, server_default=''),
        sa.Column('set_aside', sa.Boolean(), nullable=False, server_default=sa.false()),
    ):
        op.add_column('height_reading', column)
    op.add_column('base_coordinate', sa.Column('evidence_id', sa.String(36)))
    op.add_column('base_coordinate', sa.Column('locked', sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column('listening', sa.Column('receiver_url', sa.Text()))
    op.create_index('ix_height_reading_setup_id', 'height_reading', ['setup_id'])
    op.create_index('ix_occupation_setup_id', 'occupation', ['setup_id'])
    if op.get_bind().dialect.name == "sqlite":
        for table in NEW:
            for verb in ("UPDATE", "DELETE"):
                op.execute(
                    f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} "
                    f"BEGIN SELECT RAISE(ABORT, '{table} rows are never changed'); END"
                )


def downgrade() -> None:
    raise NotImplementedError("Set-ups, averages and readings would be lost: restore the data folder's copy instead.")
